package rilvan.core;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;

/** The models, dialects and demo network that ship, read once for all tests. */
public final class Shipped {

    public static final Path MODELS = Path.of("../models");
    public static final Dialect QUERN = read(() -> Dialect.read(MODELS.resolve("dialects/quern")));
    public static final Vocabulary VOCABULARY = read(() -> Vocabulary.read(Document.read(text("vocabulary.yaml"))));
    public static final ServiceModel L3VPN = read(() -> ModelReader.read(text("services/l3vpn/model.yaml"), VOCABULARY));
    public static final Network SKERRA = read(() -> NetworkDocument.read(Document.read(text("demo/network.yaml"))));

    private Shipped() {}

    /** A file below the models folder. */
    public static String text(String file) {
        return read(() -> Files.readString(MODELS.resolve(file)));
    }

    private interface Reading<T> {
        T read() throws IOException;
    }

    private static <T> T read(Reading<T> reading) {
        try {
            return reading.read();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }
}
