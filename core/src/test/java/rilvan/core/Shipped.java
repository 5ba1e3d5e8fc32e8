package rilvan.core;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.TreeMap;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;

/** The models, dialects and demo network that ship, read once for all tests. */
public final class Shipped {

    public static final Path MODELS = Path.of("../models");
    public static final Catalog CATALOG = read(() -> Catalog.read(MODELS));
    public static final Dialect QUERN = CATALOG.dialects().get("quern");
    public static final Vocabulary VOCABULARY = CATALOG.vocabulary();
    public static final ServiceModel L3VPN = CATALOG.models().get("l3vpn");
    public static final Network SKERRA = read(() -> NetworkDocument.read(Document.read(text("demo/network.yaml"))));

    private Shipped() {}

    /** The demo network as it is when it is first switched on. */
    public static InMemoryPlanningSource skerra() {
        Map<String, String> configurations = new TreeMap<>();
        SKERRA.devices().keySet().forEach(device -> configurations.put(device, start(device)));
        return new InMemoryPlanningSource(CATALOG, SKERRA, configurations);
    }

    private static String start(String device) {
        String xml = "demo/devices/" + device + ".xml";
        return Files.exists(MODELS.resolve(xml)) ? text(xml) : text("demo/devices/" + device + ".txt");
    }

    /** A device's text as its family's codec writes it. */
    public static String canonical(String device, String text) {
        Codec codec = codec(device);
        return codec.encode(codec.decode(text));
    }

    public static Codec codec(String device) {
        return CATALOG.dialects().get(SKERRA.device(device).orElseThrow().family()).codec();
    }

    public static Plan plan(InMemoryPlanningSource source, String order) {
        return source.plan(OrderDocument.read(Document.read(order)));
    }

    /** Works an order out and takes it as done. */
    public static Plan done(InMemoryPlanningSource source, String order) {
        Plan plan = plan(source, order);
        source.take(plan);
        return plan;
    }

    /** A file below the models folder. */
    public static String text(String file) {
        return read(() -> Files.readString(MODELS.resolve(file)));
    }

    private interface Loader<T> {
        T read() throws IOException;
    }

    private static <T> T read(Loader<T> reading) {
        try {
            return reading.read();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }
}
