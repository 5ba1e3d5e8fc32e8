package rilvan.bench;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;
import rilvan.core.document.Document;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.transaction.DeviceChange;

/**
 * Whole transactions of the running service on many devices, against a bare client that sends the same flights to the same
 * devices and does nothing else. Both have warm sessions; the service's time is that of the order's own events, from the first
 * to the record that ends it.
 */
final class Transactions {

    private static final int ROUNDS = 30;
    private static final int WARM_UP = 40;
    private static final String ADD = """
            reason: bench
            services:
              - name: bench
                tenant: Skerry Council
                model: device-text
                parameters:
                  texts: [{ family: quern, text: '<routing xmlns="urn:quern:routing"><route><to>203.0.113.240/29</to><via>203.0.113.254</via></route></routing>' }]
                  targets: [%s]
            """;
    private static final String REMOVE = "remove: [bench]";

    private final ServiceClient service;

    private Transactions(ServiceClient service) {
        this.service = service;
    }

    /** Network document, server, its process, the engineer's password, and the lab's. */
    static void main(String networkFile, String server, long process, String password, String labPassword) throws Exception {
        Network network = NetworkDocument.read(Document.read(Files.readString(Path.of(networkFile))));
        List<String> names = List.copyOf(network.devices().keySet());
        List<String> addresses = network.devices().values().stream().map(device -> device.address()).toList();
        int port = network.devices().values().iterator().next().managementPort();
        String add = ADD.formatted(String.join(", ", names.stream().map(name -> "{ device: " + name + " }").toList()));

        InMemoryPlanningSource source = new InMemoryPlanningSource(Networks.CATALOG, network, names.stream().collect(Collectors.toMap(name -> name, name -> "")));
        Plan adding = source.plan(OrderDocument.read(Document.read(add)));
        source.take(adding);
        List<List<String>> comes = flights(adding.parts().get(0));
        List<List<String>> goes = flights(source.plan(OrderDocument.read(Document.read(REMOVE))).parts().get(0));

        Transactions service = new Transactions(new ServiceClient(server, password));
        List<Double> whole = new ArrayList<>();
        double cpuBefore = 0;
        for (int i = 0; i < WARM_UP + ROUNDS; i++) {
            if (i == WARM_UP) {
                cpuBefore = cpuSeconds(process);
            }
            double millis = service.order(i % 2 == 0 ? add : REMOVE);
            if (i >= WARM_UP) {
                whole.add(millis);
            }
        }
        double cpu = (cpuSeconds(process) - cpuBefore) * 1000 / ROUNDS / names.size();
        List<Double> bare = new ArrayList<>();
        try (BareClient client = new BareClient()) {
            client.open(addresses, port, "rilvan", labPassword);
            for (int i = 0; i < WARM_UP + ROUNDS; i++) {
                long before = System.nanoTime();
                client.run(i % 2 == 0 ? comes : goes);
                if (i >= WARM_UP) {
                    bare.add((System.nanoTime() - before) / 1e6);
                }
            }
        }
        System.out.printf(Locale.ROOT, "%-26s %10s %10s %10s%n", names.size() + " devices, ms", "median", "least", "most");
        print("whole transaction", whole);
        print("bare client", bare);
        System.out.printf(Locale.ROOT, "ratio of the medians: %.2f; the service's CPU: %.2f ms a device%n", ServiceClient.median(whole) / ServiceClient.median(bare), cpu);
    }

    /** What a transaction sends a device with confirmed commit, flight by flight. */
    private static List<List<String>> flights(DeviceChange part) {
        String read = "<get-config><source><running/></source><filter type=\"subtree\">" + part.filter() + "</filter></get-config>";
        return List.of(
                List.of("<lock><target><running/></target></lock>", "<lock><target><candidate/></target></lock>", read),
                List.of("<edit-config><target><candidate/></target><error-option>rollback-on-error</error-option><config>" + part.edit()
                        + "</config></edit-config>", "<validate><source><candidate/></source></validate>"),
                List.of("<commit><confirmed/><confirm-timeout>30</confirm-timeout><persist>bare</persist></commit>", read),
                List.of(read),
                List.of("<commit><persist-id>bare</persist-id></commit>", "<unlock><target><candidate/></target></unlock>",
                        "<unlock><target><running/></target></unlock>"));
    }

    /** Runs an order, and says how long it took by its own events. */
    private double order(String document) throws Exception {
        JsonObject placed = service.object("POST", "/api/v1/orders", document);
        if (placed.isNull("order")) {
            throw new IllegalStateException("no change, nothing to measure");
        }
        String path = "/api/v1/orders/" + placed.getLong("order");
        // The stream of events ends with the order.
        service.send("GET", path + "/events", "");
        JsonObject detail = service.object("GET", path, "");
        if (!detail.getObject("order").getString("state").equals("DONE")) {
            throw new IllegalStateException(detail.getObject("order").toString());
        }
        JsonArray events = detail.getArray("events");
        OffsetDateTime first = OffsetDateTime.parse(events.getObject(0).getString("at"));
        OffsetDateTime last = OffsetDateTime.parse(events.getObject(events.size() - 1).getString("at"));
        return Duration.between(first, last).toNanos() / 1e6;
    }

    private static double cpuSeconds(long process) {
        return ProcessHandle.of(process).flatMap(handle -> handle.info().totalCpuDuration()).map(Duration::toMillis).orElse(0L) / 1000.0;
    }

    private static void print(String what, List<Double> millis) {
        System.out.printf(Locale.ROOT, "%-26s %10.1f %10.1f %10.1f%n", what, ServiceClient.median(millis), millis.stream().min(Double::compare).orElseThrow(),
                millis.stream().max(Double::compare).orElseThrow());
    }
}
