package rilvan.bench;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import rilvan.core.document.Document;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;

/** What a large network costs on the running service: previews, one order over most of it, many people at once, lists, links, readings, memory. */
final class Sizes {

    private static final int SERVICES = 300;
    private static final int CLIENTS = 16;
    private static final int CLIENTS_SECONDS = 30;
    private static final int ROUNDS = 9;
    private static final int READERS = 8;
    private static final int STANDING_PER_ORDER = 250;
    private static final int FIRST_STANDING_TAG = 1000;
    private static final int ROWS = 1000;
    private static final int PORTS_OF_TABLE = 20;
    private static final int FIRST_TABLE_TAG = 2000;

    private final ServiceClient service;
    private final ServiceClient second;
    private final List<String> devices;

    private Sizes(ServiceClient service, ServiceClient second, List<String> devices) {
        this.service = service;
        this.second = second;
        this.devices = devices;
    }

    /** Network document, two instances of the service, the first one's process, the lab's, the engineer's password, the lab's, and how many services are to stand beforehand. */
    static void main(String networkFile, String server, String second, long process, long lab, String password, String labPassword, int standing) throws Exception {
        Network network = NetworkDocument.read(Document.read(Files.readString(Path.of(networkFile))));
        Sizes sizes = new Sizes(new ServiceClient(server, password), new ServiceClient(second, password), List.copyOf(network.devices().keySet()));
        print(network.devices().size() + " devices", "%s", "");
        sizes.standing(standing);
        sizes.manyServices();
        sizes.table();
        sizes.lists();
        sizes.manyPeople("one instance", List.of(sizes.service));
        sizes.manyPeople("two instances", List.of(sizes.service, sizes.second));
        sizes.links();
        sizes.readings(network, labPassword);
        print("resident memory of the service, and of the lab, MiB", "%.0f and %.0f", resident(process), resident(lab));
    }

    private static void print(String what, String form, Object... values) {
        System.out.printf(Locale.ROOT, "%-64s %12s%n", what, String.format(Locale.ROOT, form, values));
    }

    private static double resident(long process) throws Exception {
        return Files.readAllLines(Path.of("/proc/" + process + "/status")).stream().filter(line -> line.startsWith("VmRSS:"))
                .mapToDouble(line -> Double.parseDouble(line.replaceAll("\\D", "")) / 1024).findFirst().orElseThrow();
    }

    private String vpn(String name, int first, String port, int tag) {
        return """
                  - name: %s
                    tenant: Skerry Council
                    model: l3vpn
                    parameters:
                      sites:
                        - { name: a, device: %s, port: %s, tag: %d, address: 192.0.2.0/31, customer: 192.0.2.1 }
                        - { name: b, device: %s, port: %s, tag: %d, address: 192.0.2.2/31, customer: 192.0.2.3 }
                """.formatted(name, devices.get(first), port, tag, devices.get(first + 1), port, tag);
    }

    private double millis(String method, String path, String body) throws Exception {
        long from = System.nanoTime();
        service.send(method, path, body);
        return (System.nanoTime() - from) / 1e6;
    }

    private double median(String method, String path, String body) throws Exception {
        List<Double> all = new ArrayList<>();
        for (int i = 0; i < ROUNDS; i++) {
            all.add(millis(method, path, body));
        }
        return ServiceClient.median(all);
    }

    private JsonObject end(long order) throws Exception {
        return end(service, order);
    }

    /** The end of an order; its stream of events ends with it. */
    private static JsonObject end(ServiceClient service, long order) throws Exception {
        service.send("GET", "/api/v1/orders/" + order + "/events", "");
        return JsonParser.array().from(service.send("GET", "/api/v1/orders?limit=1&before=" + (order + 1), "")).getObject(0);
    }

    /** VPNs of two places on neighbouring devices, some on each device, so that all devices have about as many. */
    private void standing(int count) throws Exception {
        int pairs = devices.size() / 2;
        long from = System.nanoTime();
        for (int first = 0; first < count; first += STANDING_PER_ORDER) {
            String order = "reason: standing\nservices:\n" + IntStream.range(first, Math.min(count, first + STANDING_PER_ORDER))
                    .mapToObj(i -> vpn("standing-" + i, 2 * (i % pairs), "access-3", FIRST_STANDING_TAG + i / pairs)).collect(Collectors.joining());
            String end = end(service.object("POST", "/api/v1/orders", order).getLong("order")).getString("state");
            if (!end.equals("DONE")) {
                throw new IllegalStateException("an order of the services that are to stand is " + end);
            }
            if (first == 0) {
                print("preview of one change with " + STANDING_PER_ORDER + " services, ms (median)", "%.0f", median("POST", "/api/v1/previews", "services:\n" + vpn("standing-0", 0, "access-3", 999)));
            }
        }
        if (count > 0) {
            print(count + " VPNs placed, " + STANDING_PER_ORDER + " in an order, s", "%.0f", (System.nanoTime() - from) / 1e9);
        }
    }

    private void manyServices() throws Exception {
        int count = Math.min(SERVICES, devices.size() / 2);
        String order = "reason: many\nservices:\n" + IntStream.range(0, count).mapToObj(i -> vpn("many-" + i, 2 * i, "access-1", 100)).collect(Collectors.joining());
        print("preview of " + count + " new VPNs on " + 2 * count + " devices, s (median of " + ROUNDS + ")", "%.2f", median("POST", "/api/v1/previews", order) / 1000);
        long from = System.nanoTime();
        JsonObject end = end(service.object("POST", "/api/v1/orders", order).getLong("order"));
        print("the same placed, s: " + end.getString("state").toLowerCase(Locale.ROOT), "%.1f", (System.nanoTime() - from) / 1e9);
        String one = "services:\n" + vpn("many-0", 0, "access-1", 101);
        print("preview of one change then, ms (median)", "%.0f", median("POST", "/api/v1/previews", one));
    }

    private void lists() throws Exception {
        Map<String, String> pages = new TreeMap<>(Map.ofEntries(Map.entry("devices", "/devices"), Map.entry("orders", "/orders"), Map.entry("orders of a service", "/orders?service=many-7"),
                Map.entry("orders of a tenant", "/orders?tenant=Skerry%20Council"), Map.entry("orders of a device", "/orders?device=" + devices.get(0)), Map.entry("orders, the earliest first", "/orders?after=0&state=DONE"),
                Map.entry("services, the first page", "/services"), Map.entry("services by a search", "/services?search=many-2"), Map.entry("services by tenant", "/services?sort=TENANT"),
                Map.entry("services of a model by model", "/services?model=l3vpn&sort=MODEL"), Map.entry("services at a port", "/services?device=" + devices.get(0) + "&port=access-1"),
                Map.entry("services that are suspended", "/services?state=SUSPENDED"), Map.entry("services that fail", "/services?state=FAILING"), Map.entry("services that have drifted", "/services?state=DRIFTED"),
                Map.entry("one service", "/services/many-7"), Map.entry("what a service says", "/services/many-7/lines"), Map.entry("what a service is handed over with", "/services/many-7/handover"),
                Map.entry("one device", "/devices/" + devices.get(0)), Map.entry("a device's snapshots", "/devices/" + devices.get(0) + "/snapshots"), Map.entry("drafts", "/drafts"), Map.entry("what ends", "/endings")));
        for (Map.Entry<String, String> page : pages.entrySet()) {
            print("list or page: " + page.getKey() + ", ms (median)", "%.0f", median("GET", "/api/v1" + page.getValue(), ""));
        }
    }

    /** A table of services becomes a draft, which is previewed and dropped. */
    private void table() throws Exception {
        int rows = Math.min(ROWS, devices.size() / 2 * PORTS_OF_TABLE);
        int pairs = devices.size() / 2;
        String table = "Service,Tenant,Site,Provider edge,Port,Tag,Our address,Customer's address\n" + IntStream.range(0, rows).mapToObj(i -> "table-" + i + ",Skerry Council,a," + devices.get(2 * (i % pairs))
                + ",access-2," + (FIRST_TABLE_TAG + i / pairs) + ",192.0.2.0/31,192.0.2.1\n").collect(Collectors.joining());
        String body = JsonWriter.string().object().value("model", "l3vpn").value("table", Base64.getEncoder().encodeToString(table.getBytes(StandardCharsets.UTF_8))).end().done();
        double added = millis("POST", "/api/v1/drafts/table/tables", body) / 1000;
        double previewed = millis("POST", "/api/v1/drafts/table/previews", "{}") / 1000;
        print("a table of " + rows + " rows in a draft, and its preview, s", "%.1f + %.1f", added, previewed);
        print("the draft shown, ms (median)", "%.0f", median("GET", "/api/v1/drafts/table", ""));
        service.send("DELETE", "/api/v1/drafts/table", "");
    }

    private void manyPeople(String through, List<ServiceClient> instances) throws Exception {
        ExecutorService people = Executors.newFixedThreadPool(CLIENTS);
        List<Double> seconds = new ArrayList<>();
        Map<String, Integer> ends = new TreeMap<>();
        long from = System.nanoTime();
        List<Future<Void>> working = new ArrayList<>();
        for (int client = 0; client < CLIENTS; client++) {
            String name = "client-" + client;
            ServiceClient service = instances.get(client % instances.size());
            String add = "services:\n" + vpn(name, devices.size() - 2 * CLIENTS + 2 * client, "access-2", 200);
            working.add(people.submit(() -> {
                for (int i = 0; System.nanoTime() - from < CLIENTS_SECONDS * 1_000_000_000L; i++) {
                    long begun = System.nanoTime();
                    HttpResponse<String> answer = service.ask("POST", "/api/v1/orders", i % 2 == 0 ? add : "remove: [" + name + "]");
                    String end = answer.statusCode() == 202 ? end(service, JsonParser.object().from(answer.body()).getLong("order")).getString("state") : "refused " + answer.statusCode();
                    synchronized (ends) {
                        seconds.add((System.nanoTime() - begun) / 1e9);
                        ends.merge(end.toLowerCase(Locale.ROOT), 1, Integer::sum);
                    }
                }
                return null;
            }));
        }
        people.shutdown();
        for (Future<Void> each : working) {
            each.get();
        }
        people.awaitTermination(1, TimeUnit.MINUTES);
        double passed = (System.nanoTime() - from) / 1e9;
        for (int client = 0; client < CLIENTS; client++) {
            HttpResponse<String> answer = service.ask("POST", "/api/v1/orders", "remove: [client-" + client + "]");
            if (answer.statusCode() == 202) {
                end(JsonParser.object().from(answer.body()).getLong("order"));
            }
        }
        print(CLIENTS + " people, devices of their own, " + through + ", orders a second: " + ends, "%.1f", seconds.size() / passed);
        print("an order of theirs, s (median)", "%.1f", ServiceClient.median(seconds));
    }

    private void links() throws Exception {
        millis("POST", "/api/v1/network/checks", "");
        print("all links compared, s", "%.2f", millis("POST", "/api/v1/network/checks", "") / 1000);
    }

    /** All devices are read and compared with what was ordered; a bare reader reads those of NETCONF with confirmed commit, and does nothing else. */
    private void readings(Network network, String labPassword) throws Exception {
        List<Device> quern = network.devices().values().stream().filter(device -> device.family().equals("quern")).toList();
        sweep(devices);
        print("all devices read and compared, s", "%.1f", sweep(devices));
        double ours = sweep(quern.stream().map(Device::name).toList());
        try (BareClient bare = new BareClient()) {
            bare.open(quern.stream().map(Device::address).toList(), quern.get(0).managementPort(), "rilvan", labPassword);
            List<List<String>> read = List.of(List.of("<get-config><source><running/></source></get-config>"));
            bare.run(read);
            long from = System.nanoTime();
            bare.run(read);
            double seconds = (System.nanoTime() - from) / 1e9;
            print(quern.size() + " of them (quern), s, and by a bare reader", "%.2f / %.2f", ours, seconds);
        }
    }

    private double sweep(List<String> names) throws Exception {
        ExecutorService readers = Executors.newFixedThreadPool(READERS);
        long from = System.nanoTime();
        List<Future<String>> readings = names.stream().map(name -> readers.submit(() -> service.send("POST", "/api/v1/devices/" + name + "/readings", ""))).toList();
        readers.shutdown();
        for (Future<String> each : readings) {
            each.get();
        }
        return (System.nanoTime() - from) / 1e9;
    }
}
