package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.http.HttpResponse;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** An order in stages: first some sites, proven, then the others; what a failure makes of the earlier ones is said beforehand. */
@Timeout(value = 4, unit = TimeUnit.MINUTES)
class StagesTest {

    private static final String JSON = "application/json";
    private static final String YAML = "application/yaml";
    private static final String CLINICS = Product.example("l3vpn/examples/tidewater-clinics");
    private static final String WIRE = Product.example("l2vpn/examples/kelp-works-wire");
    private static final String BOTH = CLINICS.stripTrailing() + "\n" + WIRE.substring(WIRE.indexOf("  - name"));

    private static Product product;
    private static Colleagues people;
    private static Map<String, String> before;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("stages", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms"));
        before = product.held();
        people = new Colleagues(product);
        people.add("anna", "prepare,run");
        people.add("kelp", "run", "--tenant", "Kelp & Co.");
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    @AfterEach
    void everythingIsAsAtTheStart() throws Exception {
        product.removeAll();
        assertThat(product.held()).isEqualTo(before);
    }

    private static String said(String input, String... words) throws Exception {
        return people.said("anna", input, words);
    }

    private static String refused(String input, String... words) throws Exception {
        return people.refused("anna", input, words);
    }

    private static JsonObject stages(long order) throws Exception {
        return product.get("/api/v1/orders/" + order + "/stages");
    }

    private static JsonObject ended(long order, String... states) throws Exception {
        product.await("/api/v1/orders/" + order + "/stages", stages -> List.of(states).contains(stages.getString("state")));
        return stages(order);
    }

    private static List<String> sites(String service) throws Exception {
        return product.get("/api/v1/services/" + service).getObject("service").getObject("parameters").getArray("sites").stream().map(site -> ((JsonObject) site).getString("name")).toList();
    }

    private static long place(String document, String query) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/orders" + query, document, YAML);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(202);
        return JsonParser.object().from(answer.body()).getLong("order");
    }

    /** One site first, then the rest; each stage is an order with its proof, and a service is whole after each. */
    @Test
    void firstASiteThenTheRest() throws Exception {
        assertThat(said(BOTH, "order", "preview", "-", "--first", "Haven", "--counts")).contains("stage 1, at Haven: tidewater-clinics on haven-pe1", "stage 2, everywhere else: tidewater-clinics, kelp-works-wire on",
                "Each stage is an order of its own", "--after-failure undo");
        String run = said(BOTH, "order", "run", "-", "--first", "Haven", "--pause", "2s");
        assertThat(run).contains("the next stage begins at", "all stages are done");
        assertThat(run.split("all devices hold what was ordered", -1)).hasSize(3);
        long last = product.latestOrder();
        assertThat(said("", "order", "stages", Long.toString(last))).containsPattern("1 +at Haven +" + (last - 1) + " +done").containsPattern("2 +everywhere else +" + last + " +done").contains("all stages are done");
        assertThat(sites("tidewater-clinics")).containsExactly("haven", "ternsay");
        assertThat(said("", "service", "diff", "tidewater-clinics", "--from", Long.toString(last - 1), "--to", Long.toString(last))).contains("sites/ternsay");

        // Going likewise: first one site, then all that is left.
        assertThat(said("{remove: [tidewater-clinics, kelp-works-wire]}", "order", "run", "-", "--first", "Ternsay", "--first", "Olvar,haven-pe1")).contains("all stages are done");
        assertThat(product.held()).isEqualTo(before);
    }

    /** A site moves to another house: the new one is proven beside the old, and only then the old one goes; where the new one fails, the old one is untouched. */
    @Test
    void theNewStandsBeforeTheOldGoes() throws Exception {
        product.done(CLINICS);
        String moved = CLINICS.replace("name: ternsay", "name: olvar").replace("ternsay-pe1", "olvar-pe1").replace("192.0.2.2/31", "192.0.2.4/31").replace("192.0.2.3", "192.0.2.5").replace("198.51.100.64/26", "198.51.100.128/26");
        assertThat(refused(CLINICS.replace("ternsay-pe1", "olvar-pe1"), "order", "preview", "-", "--new-before-old")).contains("tidewater-clinics/sites/ternsay would be at another device or port");
        assertThat(refused(CLINICS, "order", "preview", "-", "--new-before-old")).contains("nothing goes with this order");
        assertThat(said(moved, "order", "preview", "-", "--new-before-old", "--counts")).contains("stage 1, what comes: tidewater-clinics on", "stage 2, what goes: tidewater-clinics on");

        product.rilvan("", "lab", "refuse", "olvar-pe1", "edit");
        assertThat(people.as("anna", moved, "order", "run", "-", "--new-before-old").code()).isEqualTo(1);
        assertThat(sites("tidewater-clinics")).containsExactly("haven", "ternsay");
        product.rilvan("", "lab", "clear", "olvar-pe1");

        said(moved, "draft", "add", "house", "-");
        String run = said("", "draft", "run", "house", "--new-before-old", "--pause", "2s");
        assertThat(run).contains("the next stage begins at", "all stages are done");
        assertThat(sites("tidewater-clinics")).containsExactly("haven", "olvar");
        long last = product.latestOrder();
        assertThat(said("", "order", "stages", Long.toString(last))).containsPattern("1 +what comes +" + (last - 1) + " +done").containsPattern("2 +what goes +" + last + " +done");
        JsonArray both = product.get("/api/v1/orders/" + (last - 1)).getArray("checks");
        assertThat(both.stream().map(check -> ((JsonObject) check).getString("observer")).distinct()).contains("haven-pe1", "ternsay-pe1", "olvar-pe1");
    }

    /** What is suspended is on no device and keeps its numbers, through a kill, changes of the rest and an undoing; resumed, it is what it was. */
    @Test
    void whatIsSuspendedComesBackAsItWas() throws Exception {
        product.done(BOTH.replace("        - name: ternsay", "        - { name: quay, device: haven-pe1, port: access-3, tag: 111, address: 203.0.113.64/31, customer: 203.0.113.65 }\n        - name: ternsay"));
        Map<String, String> placed = product.held();
        JsonArray numbers = product.get("/api/v1/services/tidewater-clinics").getArray("numbers");

        assertThat(refused("", "service", "suspend", "tidewater-clinics/sites/kay")).contains("/suspend/0", "there is nothing named 'kay' among its sites; the nearest is quay");
        assertThat(refused("", "service", "suspend", "kelp-works-wire/ends/quay")).contains("too few of its entries would not be suspended; suspend the whole service");
        assertThat(people.as("kelp", "", "service", "suspend", "tidewater-clinics").output()).contains("there is no service named 'tidewater-clinics'");
        assertThat(said("", "service", "suspend", "tidewater-clinics/sites/quay", "kelp-works-wire", "--reason", "the invoice is open")).contains("done");
        product.killed();

        assertThat(said("", "service", "list", "--state", "suspended")).containsPattern("kelp-works-wire .* suspended\n").containsPattern("tidewater-clinics .*\\(suspended in part\\)");
        assertThat(said("", "service", "list", "--device", "haven-pe1", "--port", "access-3")).contains("tidewater-clinics");
        assertThat(product.get("/api/v1/services/tidewater-clinics").getArray("numbers")).isEqualTo(numbers);
        assertThat(said("", "service", "check", "kelp-works-wire")).contains("no checks");
        assertThat(said("", "service", "check", "tidewater-clinics")).doesNotContain("access-3", "fail");
        assertThat(refused(CLINICS.replace("tidewater-clinics", "others").replace("access-1\n          tag: 110", "access-3\n          tag: 111"), "order", "preview", "-")).contains("111 on haven-pe1 access-3 is already in use by tidewater-clinics");
        long suspended = product.latestOrder();
        assertThat(said("", "service", "diff", "tidewater-clinics", "--from", Long.toString(suspended - 1), "--to", Long.toString(suspended))).contains("sites/quay/suspended");

        // The rest of it changes meanwhile, and what is suspended with it.
        said("", "service", "set", "tidewater-clinics", "sites/quay/tag=112", "sites/haven/rate=100000", "--draft", "meanwhile");
        said("", "draft", "run", "meanwhile");
        said("", "order", "undo", Long.toString(product.latestOrder()), "--draft", "back");
        said("", "draft", "run", "back");
        said("{resume: [kelp-works-wire]}", "draft", "add", "again", "-");
        said("{resume: [tidewater-clinics/sites/quay]}", "draft", "add", "again", "-");
        assertThat(said("", "draft", "run", "again")).contains("done");
        assertThat(product.held()).isEqualTo(placed);
        assertThat(product.get("/api/v1/services/tidewater-clinics").getArray("numbers")).isEqualTo(numbers);
        assertThat(said("", "service", "list", "--state", "suspended")).contains("no service fits");
    }

    /** A preview tells who else is on the devices, and shows the whole of what a device is to have; whoever sees one tenant sees nothing of others. */
    @Test
    void aPreviewTellsWhoElseIsThere() throws Exception {
        product.done(WIRE);
        assertThat(said(CLINICS, "order", "preview", "-", "--counts")).contains("also on these devices, and not changed: kelp-works-wire");
        String whole = said(CLINICS, "order", "preview", "-", "--whole", "--device", "haven-pe1");
        assertThat(whole).contains("on haven-pe1", "Kelp", "Tidewater Clinics").doesNotContain("on ternsay-pe1");
        assertThat(people.refused("kelp", WIRE.replace("rate: 100000", "rate: 50000"), "order", "preview", "-", "--whole")).contains("whole configurations are for who sees all tenants");
        assertThat(people.as("anna", "", "order", "cancel", Long.toString(product.latestOrder())).code()).isEqualTo(5);
    }

    /** One device after another, of whatever kind: the next begins when the one before holds its change. */
    @Test
    void oneDeviceAfterAnother() throws Exception {
        String told = said(BOTH, "order", "run", "-", "--one-by-one");
        List<String> changes = told.lines().map(String::strip).filter(line -> line.matches("\\S+ +(confirmed commit|change) +ok.*")).toList();
        assertThat(changes).hasSize(3).allMatch(line -> !line.startsWith("all"));
        JsonArray events = product.get("/api/v1/orders/" + product.latestOrder()).getArray("events");
        List<String> begunAndEnded = events.stream().map(JsonObject.class::cast).filter(event -> List.of("CONFIRMED_COMMIT", "CHANGE").contains(event.getString("phase")))
                .map(event -> event.getString("result") + " " + event.getString("device")).toList();
        assertThat(begunAndEnded).hasSize(6);
        for (int i = 0; i < begunAndEnded.size(); i += 2) {
            assertThat(begunAndEnded.get(i)).startsWith("STARTED ");
            assertThat(begunAndEnded.get(i + 1)).isEqualTo(begunAndEnded.get(i).replace("STARTED ", "OK "));
        }
    }

    /** A stage that fails is rolled back; those before it stay, or are taken back, as was chosen; whoever follows is told. */
    @Test
    void whatAFailureMakesOfEarlierStages() throws Exception {
        product.rilvan("", "lab", "refuse", "ternsay-pe1", "commit");
        assertThat(refused(CLINICS, "order", "run", "-", "--first", "Haven")).contains("rolled back", "stopped: 1 of 2 stages are done, and stay");
        assertThat(sites("tidewater-clinics")).containsExactly("haven");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        product.removeAll();

        product.done(WIRE);
        Map<String, String> wired = product.held();
        product.rilvan("", "lab", "refuse", "ternsay-pe1", "commit");
        assertThat(refused(CLINICS.stripTrailing() + "\nremove: [kelp-works-wire]\n", "order", "run", "-", "--first", "Haven,Olvar", "--after-failure", "undo")).contains("rolled back", "taken back: all services are as they were before the first stage");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        assertThat(product.held()).isEqualTo(wired);
        assertThat(product.get("/api/v1/services/kelp-works-wire").getObject("service").getString("name")).isEqualTo("kelp-works-wire");
        long undone = product.latestOrder();
        assertThat(stages(undone).getString("state")).isEqualTo("UNDONE");
        assertThat(product.get("/api/v1/orders/" + undone).getObject("order").getString("reason")).contains("take the stages of order " + (undone - 2) + " back");
    }

    /** Killed at any time, in a stage or in a pause: each stage is carried out once. Cancelled in a pause, no further one begins. */
    @Test
    void throughKillsAndOnce() throws Exception {
        long first = place(BOTH, "?first=Haven&pause=3");
        product.killed();
        JsonObject ended = ended(first, "DONE", "STOPPED");
        if (ended.getString("state").equals("DONE")) {
            assertThat(ended.getArray("stages").stream().map(stage -> ((JsonObject) stage).getLong("order")).toList()).doesNotHaveDuplicates().hasSize(2);
        } else {
            // The kill came while the first stage could still go back.
            assertThat(product.get("/api/v1/orders/" + first).getObject("order").getString("state")).isEqualTo("ROLLED_BACK");
        }
        product.removeAll();

        first = place(BOTH, "?first=Haven&pause=4");
        product.await("/api/v1/orders/" + first + "/stages", stages -> !stages.isNull("nextAt"));
        product.killed();
        assertThat(ended(first, "DONE").getArray("stages").stream().map(stage -> ((JsonObject) stage).getString("state")).toList()).containsExactly("DONE", "DONE");
        product.removeAll();

        first = place(BOTH, "?first=Haven&pause=3000");
        product.await("/api/v1/orders/" + first + "/stages", stages -> !stages.isNull("nextAt"));
        assertThat(people.refused("kelp", "", "order", "cancel", Long.toString(first))).contains("there is no order");
        assertThat(product.rilvan("", "order", "cancel", Long.toString(first)).code()).isZero();
        assertThat(stages(first).getString("state")).isEqualTo("STOPPED");
        assertThat(stages(first).getString("waitsFor")).contains("cancelled by engineer");
        assertThat(product.request("POST", "/api/v1/orders/" + first + "/cancellation", "", JSON).statusCode()).isEqualTo(409);
    }

    /** Nobody goes round a rule by parting an order: what the whole needs, its first stage waits for. */
    @Test
    void aRuleForTheWholeHoldsForTheFirstStage() throws Exception {
        product.rilvan("", "agreement", "require", "many", "--devices", "3");
        assertThat(said(BOTH, "order", "run", "-", "--first", "Haven")).contains("another person is to agree to it: the rule many");
        long first = product.latestOrder();
        assertThat(said("", "order", "cancel", Long.toString(first))).contains("accepted");
        assertThat(stages(first).getString("state")).isEqualTo("STOPPED");
        assertThat(product.rilvan("", "agreement", "drop", "many").code()).isZero();
    }

    /** A draft in stages keeps its entries until the last; where a stage fails they are in it again. */
    @Test
    void aDraftInStages() throws Exception {
        said(BOTH, "draft", "add", "autumn", "-");
        product.rilvan("", "lab", "refuse", "olvar-pe1", "edit");
        assertThat(refused("", "draft", "run", "autumn", "--first", "Haven", "--first", "Ternsay")).contains("stopped: 2 of 3 stages are done, and stay");
        product.rilvan("", "lab", "clear", "olvar-pe1");
        // What the stages have carried out to the end has left it.
        assertThat(said("", "draft", "show", "autumn")).contains("kelp-works-wire").doesNotContain("is carrying it out", "tidewater-clinics");
        assertThat(said("", "draft", "run", "autumn", "--first", "Haven,Olvar")).contains("all devices hold what was ordered");
        assertThat(said("", "draft", "list")).contains("no drafts");
    }

    /** The same request is the same order; others get nothing of it to see; wrong inputs are named, and nothing begins. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "first=Havn | there is no site or device named 'Havn'; the nearest is Haven",
        "first=Haven;haven-pe1 | haven-pe1 is named for two stages",
        "first= | a stage names sites or devices",
        "first=Haven;;Olvar | a stage names sites or devices",
        "first=Skarn | nothing of this order can be done at Skarn alone",
        "first=Olvar | nothing of this order can be done at Olvar alone",
        "first=Haven&pause=-1 | is from 0 to",
        "first=Haven&pause=99999999 | is from 0 to",
        "first=Haven&afterFailure=perhaps | must be keep or undo",
        "pause=5 | pause and afterFailure are about stages",
        "first=Haven&start=2001-01-01T00:00:00Z | is past"})
    void wrongInputsBeginNothing(String query, String told) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/orders?" + query.replace(";", "%3B"), BOTH, YAML);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(422);
        assertThat(answer.body()).contains(told);
        assertThat(product.request("GET", "/api/v1/services", "", JSON).body()).isEqualTo("[]");
    }

    @Test
    void theSameRequestIsTheSameOrder() throws Exception {
        HttpResponse<String> placed = product.requestWithKey(product.server(), "stages-1", "/api/v1/orders?first=Haven", CLINICS, YAML);
        long first = JsonParser.object().from(placed.body()).getLong("order");
        assertThat(JsonParser.object().from(product.requestWithKey(product.server(), "stages-1", "/api/v1/orders?first=Haven", CLINICS, YAML).body()).getLong("order")).isEqualTo(first);
        assertThat(product.requestWithKey(product.server(), "stages-1", "/api/v1/orders", CLINICS, YAML).statusCode()).isEqualTo(422);
        ended(first, "DONE");
        assertThat(product.request("GET", "/api/v1/orders/" + (first - 1) + "/stages", "", JSON).statusCode()).isEqualTo(404);
        JsonArray orders = JsonParser.array().from(product.request("GET", "/api/v1/orders?limit=2", "", JSON).body());
        assertThat(orders.stream().map(order -> ((JsonObject) order).getObject("stage").getInt("number")).collect(Collectors.toList())).containsExactly(2, 1);
    }
}
