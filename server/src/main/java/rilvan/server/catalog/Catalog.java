package rilvan.server.catalog;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.document.Refused;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;
import rilvan.server.Application.Settings;

/** What may be ordered, and on which families. A model or dialect that is wrong keeps the service from starting. */
@Component
public final class Catalog {

    private final Map<String, ServiceModel> models = new LinkedHashMap<>();
    private final Map<String, Dialect> dialects = new LinkedHashMap<>();

    public Catalog(Settings settings) throws IOException {
        Path folder = settings.models();
        Vocabulary vocabulary = Vocabulary.read(Document.read(Files.readString(folder.resolve("vocabulary.yaml"))));
        for (Path each : folders(folder.resolve("dialects"))) {
            Dialect dialect = Dialect.read(each);
            dialects.put(dialect.name(), dialect);
        }
        for (Path each : folders(folder.resolve("services"))) {
            Path file = each.resolve("model.yaml");
            try {
                ServiceModel model = ModelReader.read(Files.readString(file), vocabulary);
                models.put(model.name(), model);
            } catch (Refused | Document.Malformed e) {
                throw new IllegalStateException(file + " is no model: " + e.getMessage(), e);
            }
        }
    }

    private static Iterable<Path> folders(Path parent) throws IOException {
        try (Stream<Path> children = Files.list(parent)) {
            return children.filter(Files::isDirectory).sorted().toList();
        }
    }

    public Map<String, ServiceModel> models() {
        return Map.copyOf(models);
    }

    public Map<String, Dialect> dialects() {
        return Map.copyOf(dialects);
    }
}
