package rilvan.server.installation;

import java.util.List;
import java.util.stream.Collectors;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.keys.KeyChange;
import rilvan.server.keys.KeyChange.OpeningKey;

/** Which keys open the store, and whether each instance has one. */
@Component
@Order(3)
final class KeyPart implements InstallationPart {

    private final KeyChange keys;

    KeyPart(KeyChange keys) {
        this.keys = keys;
    }

    @Override
    public Part look() {
        List<String> shutOut = keys.shutOut();
        List<OpeningKey> opening = keys.all();
        String found = opening.stream().map(OpeningKey::name).collect(Collectors.joining(" and ")) + (opening.size() == 1 ? " opens the store" : " open the store");
        return !shutOut.isEmpty() ? Part.bad("key", found + "; the key file of " + String.join(", ", shutOut) + " has another, so that it would not start again", "put a key that opens the store there")
                : opening.size() == 1 ? Part.well("key", found) : Part.toBeLookedAt("key", found + ": a change is not finished", "rilvan key list");
    }
}
