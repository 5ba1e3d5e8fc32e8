package rilvan.server.installation;

import java.util.List;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.library.Library;

/** What is in force, and what of it cannot be. */
@Component
@Order(14)
final class LibraryPart implements InstallationPart {

    private final Library library;

    LibraryPart(Library library) {
        this.library = library;
    }

    @Override
    public Part look() {
        List<String> problems = library.problems().stream().map(Object::toString).toList();
        String found = library.catalog().models().size() + " models and " + library.catalog().dialects().size() + " families are in force";
        return problems.isEmpty() ? Part.well("library", found) : Part.toBeLookedAt("library", found + "; not in force: " + String.join("; ", problems), "rilvan model list --versions");
    }
}
