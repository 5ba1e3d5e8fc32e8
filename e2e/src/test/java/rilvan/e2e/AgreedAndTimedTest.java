package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
/** Orders that another person is to agree to, that begin at a time or within windows, and that a freeze or the emergency stop keeps back. */
@Timeout(value = 6, unit = TimeUnit.MINUTES)
class AgreedAndTimedTest {

    private static final String JSON = "application/json";
    private static final String YAML = "application/yaml";
    private static final String CLINICS = Product.example("l3vpn/examples/tidewater-clinics");
    private static final String WIRE = Product.example("l2vpn/examples/kelp-works-wire");

    private static Product product;
    private static Colleagues people;
    private static Map<String, String> before;
    private static String network;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("timed", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms"));
        before = product.held();
        people = new Colleagues(product);
        network = product.network();
        for (String name : List.of("anna", "bert")) {
            people.add(name, "run,approve");
        }
        people.add("kelp", "run,approve", "--tenant", "Kelp & Co.");
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    /** Whatever a test has left is taken away; every device is as at the start. */
    @AfterEach
    void everythingIsAsAtTheStart() throws Exception {
        product.request("DELETE", "/api/v1/emergency-stop", "", JSON);
        for (String kind : List.of("freezes", "agreement-rules")) {
            for (Object each : JsonParser.array().from(product.request("GET", "/api/v1/" + kind, "", JSON).body())) {
                product.request("DELETE", "/api/v1/" + kind + "/" + ((JsonObject) each).getString("name"), "", JSON);
            }
        }
        for (Object each : JsonParser.array().from(product.request("GET", "/api/v1/orders", "", JSON).body())) {
            JsonObject order = (JsonObject) each;
            if (List.of("AWAITING_AGREEMENT", "SCHEDULED", "WAITING").contains(order.getString("state"))) {
                product.request("POST", "/api/v1/orders/" + order.getLong("id") + "/cancellation", "", JSON);
            }
        }
        assertThat(product.rilvan(network, "network", "load", "-").code()).isZero();
        product.removeAll();
        assertThat(product.held()).isEqualTo(before);
        // Nothing that was put down for later is left.
        assertThat(product.request("GET", "/api/v1/orders?limit=100", "", JSON).body()).doesNotContain("AWAITING_AGREEMENT", "SCHEDULED", "WAITING");
    }

    private static String said(String name, String input, String... words) throws Exception {
        return people.said(name, input, words);
    }

    private static String refused(String name, String input, String... words) throws Exception {
        return people.refused(name, input, words);
    }

    private static JsonObject order(long id) throws Exception {
        return product.get("/api/v1/orders/" + id).getObject("order");
    }

    private static JsonObject awaited(long id, String... states) throws Exception {
        product.await("/api/v1/orders/" + id, "order", order -> List.of(states).contains(order.getString("state")));
        return order(id);
    }

    private static String inSeconds(long seconds) {
        return Instant.now().plusSeconds(seconds).truncatedTo(ChronoUnit.MILLIS).toString();
    }

    private static String placed(String document, String query) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/orders" + query, document, YAML);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(202);
        return Long.toString(JsonParser.object().from(answer.body()).getLong("order"));
    }

    /** By a rule another person is to agree, to just what they saw; nobody to what they prepared or placed themselves; a refusal ends the order. */
    @Test
    void anotherPersonAgreesToWhatTheyHaveSeen() throws Exception {
        assertThat(product.rilvan("", "agreement", "require", "kelp-works", "--tenant", "Kelp & Co.").output()).contains("wait for the agreement of another person from now on");
        assertThat(said("anna", "", "agreement", "list")).contains("kelp-works", "Kelp & Co.");
        assertThat(said("anna", WIRE, "order", "run", "-")).contains("another person is to agree to it: the rule kelp-works: add kelp-works-wire", "rilvan order agree");
        String id = Long.toString(product.latestOrder());
        assertThat(product.held()).isEqualTo(before);
        assertThat(refused("anna", "", "order", "agree", id, "--yes")).contains("anna has prepared or placed order " + id);
        assertThat(refused("bert", "", "order", "agree", id)).contains("--yes");
        assertThat(said("bert", "", "order", "show", id)).contains("add kelp-works-wire", "on haven-pe1", "another person is to agree to it");
        HttpResponse<String> unseen = product.request("POST", "/api/v1/orders/" + id + "/agreement", "", JSON);
        assertThat(unseen.statusCode() + unseen.body()).contains("422", "If-Match is missing");
        assertThat(said("bert", "", "order", "agree", id, "--yes")).contains("on haven-pe1", "agreed");
        assertThat(awaited(Long.parseLong(id), "DONE").getObject("agreement").getString("by")).isEqualTo("bert");
        assertThat(refused("bert", "", "order", "agree", id, "--yes")).contains("its lines are those of the order");

        // Who has an entry in a draft has prepared what comes of it, whoever places the order.
        said("bert", WIRE.replace("rate: 100000", "rate: 50000"), "draft", "add", "narrower", "-");
        assertThat(said("anna", "", "draft", "run", "narrower", "--reason", "as agreed")).contains("another person is to agree to it");
        String second = Long.toString(product.latestOrder());
        assertThat(refused("bert", "", "order", "agree", second, "--yes")).contains("bert has prepared or placed order " + second);
        assertThat(said("kelp", "", "order", "refuse", second, "--reason", "not this year")).contains("is refused");
        assertThat(order(Long.parseLong(second)).getString("failure")).isEqualTo("kelp does not agree: not this year");
        assertThat(said("anna", "", "draft", "show", "narrower")).contains("change kelp-works-wire").doesNotContain("is carrying it out");
        said("anna", "", "draft", "remove", "narrower");

        // What is not theirs they cannot agree to, nor see.
        product.rilvan("", "agreement", "require", "all-of-it");
        assertThat(said("anna", CLINICS, "order", "run", "-")).contains("every order");
        assertThat(refused("kelp", "", "order", "agree", Long.toString(product.latestOrder()), "--yes")).contains("there is no order");
        assertThat(said("anna", "", "order", "cancel", Long.toString(product.latestOrder()))).contains("cancellation accepted");
        awaited(product.latestOrder(), "ROLLED_BACK");
    }

    /** An order begins at its time, once, on whichever instance is there, and has its numbers from when it was placed. */
    @Test
    void anOrderBeginsAtItsTimeThroughAKill() throws Exception {
        long id = Long.parseLong(placed(CLINICS, "?start=" + inSeconds(25)));
        assertThat(order(id).getString("state")).isEqualTo("SCHEDULED");
        assertThat(said("anna", "", "order", "show", Long.toString(id))).contains("begins at", "add tidewater-clinics");
        assertThat(said("anna", "", "order", "list")).contains("scheduled");
        product.killed();
        assertThat(product.held()).isEqualTo(before);
        assertThat(awaited(id, "DONE").getString("failure")).isEmpty();
        assertThat(product.get("/api/v1/services/tidewater-clinics").getArray("history")).hasSize(1);

        // What was due while no service was there, and is too late now, ends and says so.
        String by = inSeconds(4);
        long late = Long.parseLong(placed(WIRE, "?start=" + inSeconds(3) + "&startBy=" + by));
        product.script("cut_service");
        while (Instant.now().isBefore(Instant.parse(by))) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        product.script("start_service");
        assertThat(awaited(late, "ROLLED_BACK").getString("failure")).contains("it could begin until", "and had not: no instance of the service was there");
    }

    /** The network with other maintenance windows. */
    private static String withWindows(String... windows) {
        return network.substring(0, network.indexOf("maintenance:")) + "maintenance:\n" + Stream.of(windows).map(window -> "  - " + window + "\n").collect(Collectors.joining())
                + network.substring(network.indexOf("# The nearest that applies"));
    }

    /** Windows of all sites concerned; where there is no common one the order is refused. */
    @Test
    void anOrderBeginsWithinWindows() throws Exception {
        assertThat(product.rilvan(withWindows("{ sites: [Haven], starts: 2026-01-06T02:00, lasts: PT3H }"), "network", "load", "-").code()).isZero();
        assertThat(refused("anna", WIRE, "order", "run", "-", "--in-window")).contains("there is no maintenance window for Olvar");
        assertThat(product.rilvan(withWindows("{ starts: 2026-01-06T02:00, lasts: PT3H }"), "network", "load", "-").code()).isZero();
        assertThat(refused("anna", WIRE, "order", "run", "-", "--in-window")).contains("there is no time within a year in which the maintenance windows of", "are all open");
        String soon = Instant.now().plusSeconds(12).atZone(ZoneOffset.UTC).toLocalDateTime().truncatedTo(ChronoUnit.SECONDS).toString();
        assertThat(product.rilvan(withWindows("{ sites: [Haven], starts: " + soon + ", lasts: PT3H }", "{ starts: " + soon + ", lasts: PT2H }"), "network", "load", "-").code()).isZero();
        assertThat(said("anna", WIRE, "order", "run", "-", "--in-window")).contains("when the maintenance windows of its sites are open", "until");
        assertThat(awaited(product.latestOrder(), "DONE").getBoolean("inWindow")).isTrue();
    }

    /** Nothing begins in a freeze, or while everything is stopped; what was to wait does when it ends; an urgent order goes ahead once another person has agreed. */
    @Test
    void aFreezeAndAStopKeepOrdersBack() throws Exception {
        assertThat(product.rilvan("", "freeze", "add", "hall-move", "--site", "Olvar", "--until", inSeconds(3_000), "--reason", "the hall moves").code()).isZero();
        assertThat(said("anna", "", "freeze", "list")).contains("hall-move", "Olvar", "the hall moves");
        assertThat(refused("anna", WIRE, "order", "run", "-")).contains("the freeze hall-move (the hall moves), which ends at", "It can begin at a later time (start), or as an urgent order");
        assertThat(said("anna", WIRE, "order", "rehearse", "-")).contains("rehearsed");
        long waiting = Long.parseLong(placed(WIRE, "?start=" + inSeconds(2)));
        product.await("/api/v1/orders/" + waiting, "order", order -> !order.isNull("keptBackBy"));
        assertThat(said("anna", "", "order", "show", Long.toString(waiting))).contains("kept back by the freeze hall-move");
        assertThat(product.rilvan("", "freeze", "lift", "hall-move").output()).contains("is lifted");
        awaited(waiting, "DONE");

        product.rilvan("", "lab", "slow", "ternsay-pe1", "commit", "--seconds", "20");
        long running = Long.parseLong(placed(CLINICS, ""));
        awaited(running, "PREPARED");
        assertThat(said("anna", "", "emergency", "stop", "--reason", "smoke in the hall", "--roll-back")).contains("everything is stopped by anna");
        assertThat(awaited(running, "ROLLED_BACK").getString("failure")).contains("cancelled by anna");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        assertThat(refused("bert", "{remove: [kelp-works-wire]}", "order", "run", "-")).contains("everything is stopped by anna", "smoke in the hall");
        assertThat(refused("bert", "{remove: [kelp-works-wire]}", "order", "rehearse", "-")).contains("everything is stopped by anna");
        assertThat(refused("bert", "{remove: [kelp-works-wire]}", "order", "run", "-", "--urgent")).contains("an urgent order says why");
        assertThat(said("bert", "{reason: it burns, remove: [kelp-works-wire]}", "order", "run", "-", "--urgent")).contains("another person is to agree to it: it is urgent");
        long urgent = product.latestOrder();
        assertThat(said("anna", "", "order", "agree", Long.toString(urgent), "--yes")).contains("agreed");
        awaited(urgent, "DONE");
        assertThat(said("anna", "", "emergency", "show")).contains("smoke in the hall");
        assertThat(said("anna", "", "emergency", "release")).contains("orders begin again");
        assertThat(refused("anna", "", "emergency", "release")).contains("nothing is stopped");
    }

    /** On a terminal it is shown and asked for first; what has moved meanwhile is refused; without a terminal it goes on. */
    @Test
    void onATerminalItAsksFirst(@TempDir Path folder) throws Exception {
        Path file = Files.writeString(folder.resolve("wire.yaml"), WIRE);
        String run = "\"script -qec '$ROOT/rilvan order run " + file + "' /dev/null\"";
        assertThat(product.shell(people.token("anna"), "echo n | bash -c " + run).output()).contains("2 devices, lines:", "Run it? [y/N]", "nothing was ordered");
        assertThat(product.request("GET", "/api/v1/services", "", JSON).body()).isEqualTo("[]");
        assertThat(product.shell(people.token("anna"), "echo y | bash -c " + run).output()).contains("Run it?", "all devices hold what was ordered");
        assertThat(product.shell(people.token("anna"), "echo y | bash -c " + run).output()).contains("no change").doesNotContain("Run it?");
    }

    /** A service and a site end at their time, through a kill, once; told of beforehand, put off, and not before. */
    @Test
    void servicesAndSitesEnd() throws Exception {
        product.done(WIRE);
        product.done(CLINICS);
        assertThat(refused("anna", "", "service", "end", "kelp-works-wire", "--at", "2001-01-01T00:00:00Z")).contains("is past");
        assertThat(refused("anna", "", "service", "end", "tidewater-clinics", "--part", "sites/havn", "--at", inSeconds(60))).contains("is no item of a list of tidewater-clinics", "the nearest is haven");
        assertThat(refused("kelp", "", "service", "end", "tidewater-clinics", "--at", inSeconds(60))).contains("there is no service named 'tidewater-clinics'");
        assertThat(said("anna", "", "service", "end", "kelp-works-wire", "--at", inSeconds(30), "--reason", "the hall moves")).contains("kelp-works-wire ends at");
        assertThat(said("anna", "", "service", "end", "kelp-works-wire", "--at", inSeconds(5_000), "--reason", "the hall moves later")).contains("kelp-works-wire ends at");
        assertThat(said("kelp", "", "service", "endings")).contains("kelp-works-wire", "the hall moves later").doesNotContain("tidewater");
        assertThat(product.rilvan("", "events", "list", "--kind", "service.ends-soon").output()).contains("kelp-works-wire");

        said("anna", "", "service", "end", "tidewater-clinics", "--part", "sites/haven", "--at", inSeconds(12), "--notice", "0");
        product.killed();
        product.await("/api/v1/services/tidewater-clinics", "service", service -> service.getObject("parameters").getArray("sites").size() == 1);
        assertThat(said("anna", "", "service", "endings")).contains("kelp-works-wire").doesNotContain("tidewater-clinics");
        assertThat(said("anna", "", "order", "list", "--service", "tidewater-clinics", "--by", "anna")).contains("tidewater-clinics sites/haven ends");

        // What cannot be done is told, and done when it can.
        product.rilvan("", "lab", "refuse", "olvar-pe1", "edit");
        said("anna", "", "service", "end", "kelp-works-wire", "--at", inSeconds(12));
        product.awaitList("/api/v1/endings", endings -> endings.stream().anyMatch(each -> ((JsonObject) each).getString("failure").contains("was rolled back")));
        product.rilvan("", "lab", "clear", "olvar-pe1");
        assertThat(said("anna", "", "service", "endings")).contains("was rolled back");
        said("anna", "", "service", "end", "kelp-works-wire", "--at", inSeconds(12));
        product.awaitList("/api/v1/endings", List::isEmpty);
        assertThat(refused("anna", "", "service", "end", "kelp-works-wire", "--undo")).contains("there is no service named 'kelp-works-wire'");
    }

    /** Wrong inputs are named, and change nothing. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "POST | /api/v1/orders?start=tomorrow | {remove: [a]} | 422 | no time; expected one with its offset",
        "POST | /api/v1/orders?start=2001-01-01T00:00:00Z | WIRE | 422 | is past; it is",
        "POST | /api/v1/orders?start=2999-01-01T00:00:00Z | WIRE | 422 | more than a year away",
        "POST | /api/v1/orders?urgent=perhaps | WIRE | 400 | urgent",
        "POST | /api/v1/orders/999/agreement | | 404 | there is no order 999",
        "GET | /api/v1/orders/999/preview | | 404 | there is no order 999",
        "POST | /api/v1/orders/999/refusal | {} | 404 | there is no order 999",
        "PUT | /api/v1/freezes/Year%20End | {\"until\": \"2998-01-01T00:00:00Z\"} | 422 | is not a name",
        "PUT | /api/v1/freezes/year-end | {\"until\": \"2001-01-01T00:00:00Z\"} | 422 | is past",
        "PUT | /api/v1/freezes/year-end | {\"from\": \"2998-01-01T00:00:00Z\", \"until\": \"2997-01-01T00:00:00Z\"} | 422 | is not after from",
        "PUT | /api/v1/freezes/year-end | {\"until\": \"2998-01-01T00:00:00Z\", \"sites\": [\"Skye\"]} | 422 | there is no device at a site named 'Skye'",
        "PUT | /api/v1/freezes/year-end | {\"until\": \"2998-01-01T00:00:00Z\", \"tenants\": [\"Nobody\"]} | 422 | there is no tenant named 'Nobody'",
        "PUT | /api/v1/freezes/year-end | {} | 422 | /until",
        "DELETE | /api/v1/freezes/none | | 404 | there is no freeze named 'none'",
        "PUT | /api/v1/agreement-rules/large | {\"devices\": -1} | 422 | must be from 0 to",
        "PUT | /api/v1/agreement-rules/large | {\"kinds\": [\"KEPT\"]} | 422 | expected ADD, CHANGE, REMOVE",
        "PUT | /api/v1/agreement-rules/large | {\"models\": [\"l4vpn\"]} | 422 | there is no model named 'l4vpn'",
        "DELETE | /api/v1/agreement-rules/none | | 404 | there is no agreement rule named 'none'",
        "DELETE | /api/v1/emergency-stop | | 409 | nothing is stopped"})
    void wrongInputsChangeNothing(String method, String path, String body, int status, String told) throws Exception {
        HttpResponse<String> answer = product.request(method, path, body == null ? "" : body.equals("WIRE") ? WIRE : body, path.contains("/orders?") ? YAML : JSON);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(status);
        assertThat(answer.body()).contains(told);
    }
}
