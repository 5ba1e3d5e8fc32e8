package rilvan.bench;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
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

    private final ServiceClient service;
    private final List<String> devices;

    private Sizes(ServiceClient service, List<String> devices) {
        this.service = service;
        this.devices = devices;
    }

    /** Network document, server, its process, the lab's process, the engineer's password, and the lab's. */
    static void main(String networkFile, String server, long process, long lab, String password, String labPassword) throws Exception {
        Network network = NetworkDocument.read(Document.read(Files.readString(Path.of(networkFile))));
        Sizes sizes = new Sizes(new ServiceClient(server, password), List.copyOf(network.devices().keySet()));
        System.out.printf("%-64s %12s%n", network.devices().size() + " devices", "");
        sizes.manyServices();
        sizes.lists();
        sizes.manyPeople();
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

    /** The end of an order; its stream of events ends with it. */
    private JsonObject end(long order) throws Exception {
        service.send("GET", "/api/v1/orders/" + order + "/events", "");
        return JsonParser.array().from(service.send("GET", "/api/v1/orders?limit=1&before=" + (order + 1), "")).getObject(0);
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
        Map<String, String> pages = new TreeMap<>(Map.of("devices", "/devices", "orders", "/orders", "services, the first 500", "/services", "services by a search", "/services?search=many-2",
                "one service", "/services/many-7", "one device", "/devices/" + devices.get(0)));
        for (Map.Entry<String, String> page : pages.entrySet()) {
            print("list or page: " + page.getKey() + ", ms (median)", "%.0f", median("GET", "/api/v1" + page.getValue(), ""));
        }
    }

    private void manyPeople() throws Exception {
        ExecutorService people = Executors.newFixedThreadPool(CLIENTS);
        List<Double> seconds = new ArrayList<>();
        Map<String, Integer> ends = new TreeMap<>();
        long from = System.nanoTime();
        List<Future<Void>> working = new ArrayList<>();
        for (int client = 0; client < CLIENTS; client++) {
            String name = "client-" + client;
            String add = "services:\n" + vpn(name, devices.size() - 2 * CLIENTS + 2 * client, "access-2", 200);
            working.add(people.submit(() -> {
                for (int i = 0; System.nanoTime() - from < CLIENTS_SECONDS * 1_000_000_000L; i++) {
                    long begun = System.nanoTime();
                    HttpResponse<String> answer = service.ask("POST", "/api/v1/orders", i % 2 == 0 ? add : "remove: [" + name + "]");
                    String end = answer.statusCode() == 202 ? end(JsonParser.object().from(answer.body()).getLong("order")).getString("state") : "refused " + answer.statusCode();
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
        print(CLIENTS + " people with devices of their own, orders a second: " + ends, "%.1f", seconds.size() / ((System.nanoTime() - from) / 1e9));
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
