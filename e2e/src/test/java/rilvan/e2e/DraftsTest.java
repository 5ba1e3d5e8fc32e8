package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
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
import rilvan.e2e.Product.Result;

/** Changes are gathered in drafts by several people, looked at, split, and carried out by orders; until then nothing of them is on the network. */
@Timeout(value = 4, unit = TimeUnit.MINUTES)
class DraftsTest {

    private static final String JSON = "application/json";
    private static final String YAML = "application/yaml";
    private static final String CLINICS = Product.example("l3vpn/examples/tidewater-clinics");
    private static final String WIRE = Product.example("l2vpn/examples/kelp-works-wire");
    private static final String TICKETS = Product.example("l3vpn/examples/northsound-ferries");

    private static Product product;
    private static Colleagues people;
    private static Map<String, String> before;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("drafts", Product.ROOT.resolve("models"), Map.of("RILVAN_CHECK_TIMEOUT", "4s", "RILVAN_SETTLE_TIME", "300ms"));
        before = product.held();
        people = new Colleagues(product);
        for (String name : List.of("anna", "bert")) {
            people.add(name, "prepare,run");
        }
        people.add("kelp", "prepare,run", "--tenant", "Kelp & Co.");
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    /** Whatever a test has left is removed; every device is as at the start. */
    @AfterEach
    void everythingIsAsAtTheStart() throws Exception {
        for (Object draft : JsonParser.array().from(product.request("GET", "/api/v1/drafts", "", JSON).body())) {
            assertThat(product.request("DELETE", "/api/v1/drafts/" + ((JsonObject) draft).getString("name"), "", JSON).statusCode()).isEqualTo(204);
        }
        product.removeAll();
        assertThat(product.held()).isEqualTo(before);
    }

    private static String said(String name, String input, String... words) throws Exception {
        return people.said(name, input, words);
    }

    private static String refused(String name, String input, String... words) throws Exception {
        return people.refused(name, input, words);
    }

    @Test
    void twoPeopleGatherADraftThatIsCarriedOutInParts(@TempDir Path folder) throws Exception {
        assertThat(said("anna", "", "draft", "make", "autumn", "--reason", "what the autumn brings")).contains("autumn is made");
        assertThat(refused("bert", "", "draft", "make", "autumn")).contains("autumn is there already");
        assertThat(said("anna", CLINICS, "draft", "add", "autumn", "-")).contains("add tidewater-clinics", "autumn has 1 entry");
        assertThat(said("bert", WIRE, "draft", "add", "autumn", "-")).contains("add kelp-works-wire", "autumn has 2 entries");
        assertThat(product.held()).isEqualTo(before);
        assertThat(said("bert", "", "draft", "list")).contains("autumn", "add 2", "anna, bert", "what the autumn brings");

        // Somebody else's entry is replaced only where it was looked at.
        String narrower = WIRE.replace("rate: 100000", "rate: 50000");
        assertThat(refused("anna", narrower, "draft", "add", "autumn", "-")).contains("bert has changed kelp-works-wire in the draft autumn already");
        assertThat(said("anna", narrower, "draft", "add", "autumn", "-", "--replace")).contains("kelp-works-wire");

        assertThat(said("bert", "", "draft", "preview", "autumn", "--model", "l2vpn")).contains("add kelp-works-wire").doesNotContain("tidewater-clinics");
        assertThat(said("bert", "", "draft", "preview", "autumn")).contains("add kelp-works-wire", "add tidewater-clinics");
        assertThat(said("bert", "", "draft", "preview", "autumn", "--counts")).containsPattern("\\d devices, lines: \\d+ come, 0 go").containsPattern("haven-pe1 +\\d+ +0").doesNotContain("access-1");
        assertThat(said("bert", "", "draft", "preview", "autumn", "--device", "ternsay-pe1", "--to", folder.resolve("lines").toString())).contains("the lines of 1 device are in");
        try (Stream<Path> files = Files.list(folder.resolve("lines"))) {
            assertThat(files.map(file -> file.getFileName().toString())).containsExactlyInAnyOrder("ternsay-pe1.diff", "ternsay-pe1.txt");
        }
        assertThat(refused("bert", "", "draft", "preview", "autumn", "--device", "nowhere")).contains("nothing changes on a device named 'nowhere'");
        assertThat(refused("bert", "", "draft", "preview", "autumn", "--kind", "remove")).contains("no entry of the draft autumn is in this part");

        assertThat(said("bert", "", "draft", "run", "autumn", "--model", "l2vpn")).contains("all devices hold what was ordered");
        assertThat(said("bert", "", "draft", "show", "autumn")).contains("tidewater-clinics").doesNotContain("kelp-works-wire");
        assertThat(said("bert", "", "service", "list")).contains("kelp-works-wire").doesNotContain("tidewater-clinics");
        assertThat(said("bert", "", "draft", "split", "autumn", "winter", "--tenant", "Tidewater Clinics")).contains("winter has 1 entry");
        assertThat(said("bert", "", "draft", "list")).contains("winter").doesNotContain("\nautumn");
        assertThat(said("bert", "", "draft", "run", "winter", "--reason", "as agreed")).contains("all devices hold what was ordered");
        assertThat(said("bert", "", "draft", "list")).contains("no drafts");
        assertThat(said("bert", "", "order", "list")).contains("what the autumn brings", "as agreed");
    }

    @Test
    void aValueIsSetAndADocumentEdited() throws Exception {
        product.done(WIRE);
        assertThat(said("anna", "", "service", "set", "kelp-works-wire", "rate=50000", "--draft", "rates")).contains("change kelp-works-wire", "parameters/rate: 100000 → 50000").doesNotContain("mtu");
        assertThat(refused("anna", "", "service", "set", "kelp-works-wire", "ends/quey/tag=111", "rate=fast", "--draft", "rates")).contains("/values/ends~1quey~1tag", "the nearest is quay", "is no whole number");
        assertThat(edited("sed -i 's/mtu: 2000/mtu: 1900/'")).contains("parameters/rate: 100000 → 50000", "parameters/mtu: 2000 → 1900");
        assertThat(edited("true")).contains("nothing is changed");
        said("anna", WIRE.replace("- name: kelp-works-wire", "- name: kelp-wire\n    renamed_from: kelp-works-wire"), "draft", "add", "names", "-");
        said("anna", "", "service", "set", "kelp-wire", "mtu=1800", "--draft", "names");
        assertThat(said("anna", "", "draft", "preview", "names")).contains("change kelp-wire").doesNotContain("add");
        assertThat(edited("false")).contains("nothing is changed");
        assertThat(said("anna", "", "draft", "run", "rates")).contains("all devices hold what was ordered");
        assertThat(said("anna", "", "service", "show", "kelp-works-wire")).contains("50000", "1900").doesNotContain("100000");
    }

    private static String edited(String editor) throws Exception {
        return product.rilvanAs(people.token("anna"), Map.of("EDITOR", editor), "", "service", "edit", "kelp-works-wire", "--draft", "rates").output();
    }

    /** Two people change one service: who comes second is told at once, and nothing of the first is undone unseen. */
    @Test
    void whatOthersHaveChangedMeanwhileIsNotUndoneUnseen() throws Exception {
        product.done(WIRE);
        said("anna", "", "service", "set", "kelp-works-wire", "rate=50000", "--draft", "annas");
        assertThat(said("bert", "", "service", "set", "kelp-works-wire", "rate=60000", "mtu=1900", "--draft", "berts"))
                .contains("anna changes it as well, in the draft annas", "both to something else: parameters/rate");
        said("bert", "", "service", "set", "kelp-works-wire", "rate=100000", "--draft", "berts");
        assertThat(said("bert", "", "draft", "run", "berts")).contains("all devices hold what was ordered");

        assertThat(said("anna", "", "draft", "show", "annas")).contains("the network has changed it since", "parameters/mtu: 2000 → 1900", "rilvan draft renew annas kelp-works-wire");
        assertThat(refused("anna", "", "draft", "run", "annas")).contains("kelp-works-wire has changed on the network since its entry was made: parameters/mtu");
        assertThat(said("anna", "", "draft", "renew", "annas", "kelp-works-wire")).contains("parameters/rate: 100000 → 50000").doesNotContain("mtu", "changed it since");
        assertThat(said("anna", "", "draft", "run", "annas")).contains("all devices hold what was ordered");
        assertThat(said("anna", "", "service", "show", "kelp-works-wire")).contains("50000", "1900");

        said("anna", "", "service", "set", "kelp-works-wire", "rate=70000", "--draft", "annas");
        product.done(WIRE);
        assertThat(refused("anna", "", "draft", "renew", "annas", "kelp-works-wire")).contains("the network has changed what this entry changes as well: parameters/rate");
    }

    /** What is wrong is kept with its entry, a device that refuses leaves the entry where it is, and an order under way keeps its entries to itself. */
    @Test
    void whatCannotBeCarriedOutStays() throws Exception {
        assertThat(said("anna", CLINICS.replace("device: haven-pe1", "device: haven-pe9"), "draft", "add", "wrong", "-")).contains("wrong /parameters/sites/0/device", "1 of these cannot be carried out");
        assertThat(said("anna", "", "draft", "list")).containsPattern("wrong +add 1 +anna +\\S+ \\S+ +1 ");
        assertThat(refused("anna", "", "draft", "run", "wrong")).contains("/entries/tidewater-clinics/parameters/sites/0/device", "haven-pe9");
        assertThat(said("anna", CLINICS, "draft", "add", "wrong", "-")).doesNotContain("cannot be carried out");

        product.rilvan("", "lab", "refuse", "ternsay-pe1", "commit");
        assertThat(refused("anna", "", "draft", "run", "wrong")).contains("rolled back");
        assertThat(said("anna", "", "draft", "show", "wrong")).contains("add tidewater-clinics").doesNotContain("is carrying it out");

        assertThat(refused("anna", CLINICS.replace("- name: tidewater-clinics", "- name: tidewater-houses\n    renamed_from: tidewater-clinics"), "draft", "add", "wrong", "-"))
                .contains("makes tidewater-clinics of tidewater-clinics already");
        product.rilvan("", "lab", "slow", "ternsay-pe1", "commit", "--seconds", "9");
        // The same request once more, since its answer was lost, is the same order; with another part it is another one.
        String placed = placedWithKey("{}").body();
        assertThat(JsonParser.object().from(placedWithKey("{}").body()).getLong("order")).isEqualTo(JsonParser.object().from(placed).getLong("order"));
        assertThat(placedWithKey("{\"reason\": \"other\"}").statusCode()).isEqualTo(409);
        assertThat(product.request("GET", "/api/v1/drafts", "", JSON).body()).contains("\"underWay\":[");
        for (String refused : List.of("POST /entries", "DELETE ", "POST /orders")) {
            HttpResponse<String> answer = product.request(refused.substring(0, refused.indexOf(' ')), "/api/v1/drafts/wrong" + refused.substring(refused.indexOf(' ') + 1), refused.endsWith("entries") ? CLINICS : "{}", refused.endsWith("entries") ? YAML : JSON);
            assertThat(answer.statusCode() + answer.body()).as(refused).startsWith("409").contains("is carrying out tidewater-clinics");
        }
        product.script("cut_service");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        product.script("start_service");
        while (!JsonParser.array().from(product.request("GET", "/api/v1/drafts", "", JSON).body()).stream().allMatch(draft -> ((JsonObject) draft).getArray("underWay").isEmpty())) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        boolean stands = product.request("GET", "/api/v1/services", "", JSON).body().contains("tidewater-clinics");
        assertThat(product.request("GET", "/api/v1/drafts/wrong", "", JSON).statusCode()).isEqualTo(stands ? 404 : 200);
    }

    private static HttpResponse<String> placedWithKey(String body) throws Exception {
        return product.requestWithKey(product.server(), "autumn-1", "/api/v1/drafts/wrong/orders", body, JSON);
    }

    /** A rehearsal asks the devices of all families what they say, and changes none; what it finds stays with the draft. */
    @Test
    void aRehearsalTriesADraftAndChangesNothing() throws Exception {
        said("anna", CLINICS, "draft", "add", "tried", "-");
        said("bert", WIRE, "draft", "add", "tried", "-");
        assertThat(said("anna", "", "draft", "rehearse", "tried")).contains("haven-pe1", "edit and validate", "rehearsed: no device was changed; nothing that could be tried stands against the order");
        assertThat(product.held()).isEqualTo(before);
        assertThat(said("bert", "", "draft", "show", "tried")).contains("rehearsed by anna", "nothing stands against it").doesNotContain("has changed since");

        // What three devices say otherwise is told of all three, in one rehearsal.
        product.rilvan("", "lab", "refuse", "ternsay-pe1", "validate");
        product.rilvan("", "lab", "lose", "olvar-pe1", "lock");
        Result tried = people.as("bert", "", "draft", "rehearse", "tried");
        assertThat(tried.code()).as(tried.output()).isNotZero();
        assertThat(tried.output()).contains("rehearsed: no device was changed; against the order stands:", "2 devices: ", "ternsay-pe1 refused the edit and validate", "olvar-pe1 was lost");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        product.rilvan("", "lab", "clear", "olvar-pe1");
        assertThat(product.held()).isEqualTo(before);
        said("bert", WIRE.replace("rate: 100000", "rate: 50000"), "draft", "add", "tried", "-");
        assertThat(said("anna", "", "draft", "show", "tried")).contains("rehearsed by bert", "the draft has changed since", "against it stands", "ternsay-pe1 refused");
        assertThat(said("anna", "", "order", "list")).contains("rehearsed");
        assertThat(product.request("GET", "/api/v1/services", "", JSON).body()).isEqualTo("[]");

        // A rehearsal and an order are two requests, also with one key.
        String rehearsed = product.requestWithKey(product.server(), "tried-1", "/api/v1/rehearsals", WIRE, YAML).body();
        assertThat(product.requestWithKey(product.server(), "tried-1", "/api/v1/rehearsals", WIRE, YAML).body()).contains("\"order\":" + JsonParser.object().from(rehearsed).getLong("order"));
        HttpResponse<String> ordered = product.requestWithKey(product.server(), "tried-1", "/api/v1/orders", WIRE, YAML);
        assertThat(ordered.statusCode() + ordered.body()).contains("422", "use a new key for a new order");

        // Killed in the middle: nothing of it is left, on no device, and the draft is carried out.
        product.rilvan("", "lab", "slow", "ternsay-pe1", "validate", "--seconds", "9");
        HttpResponse<String> placed = product.request("POST", "/api/v1/drafts/tried/rehearsals", "{}", JSON);
        assertThat(placed.statusCode()).as(placed.body()).isEqualTo(202);
        product.script("cut_service");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        product.script("start_service");
        product.rilvan("", "order", "follow", Long.toString(JsonParser.object().from(placed.body()).getLong("order")));
        assertThat(product.request("GET", "/api/v1/drafts/tried", "", JSON).body()).contains("\"state\":\"ROLLED_BACK\"", "interrupted");
        assertThat(product.held()).isEqualTo(before);
        assertThat(said("anna", "", "draft", "run", "tried")).contains("all devices hold what was ordered");
    }

    /** Removals, refreshes and moves are entries as well; whoever sees one tenant sees nothing of others; a secret is kept sealed and shown nowhere. */
    @Test
    void entriesOfAllKindsAndForWhomTheyAre(@TempDir Path folder) throws Exception {
        product.done(WIRE);
        said("anna", CLINICS, "draft", "add", "all", "-");
        said("anna", "{remove: [kelp-works-wire]}", "draft", "add", "all", "-");
        assertThat(said("kelp", "", "draft", "show", "all")).contains("remove kelp-works-wire").doesNotContain("tidewater", "Tidewater");
        assertThat(said("kelp", "", "draft", "list")).contains("remove 1").doesNotContain("add");
        assertThat(refused("kelp", "", "draft", "remove", "all")).contains("has entries for others too").doesNotContain("idewater");
        assertThat(refused("kelp", CLINICS, "draft", "add", "mine", "-")).contains("/services/0/tenant");
        assertThat(refused("kelp", "", "service", "edit", "tidewater-clinics", "--draft", "all")).contains("there is no service named 'tidewater-clinics'");
        assertThat(said("kelp", "", "draft", "run", "all")).contains("all devices hold what was ordered");
        assertThat(said("anna", "", "draft", "show", "all")).contains("add tidewater-clinics").doesNotContain("kelp");

        said("anna", TICKETS, "draft", "add", "all", "-");
        Path shown = folder.resolve("shown.yaml");
        product.rilvanAs(people.token("anna"), Map.of("EDITOR", "cat > " + shown + " <"), "", "service", "edit", "northsound-tickets", "--draft", "all");
        assertThat(Files.readString(shown)).contains("(secret)").doesNotContain("sail at dawn");
        assertThat(said("anna", Files.readString(shown).replace("limit: 200", "limit: 300"), "draft", "add", "all", "-")).doesNotContain("cannot be carried out");
        assertThat(product.request("GET", "/api/v1/drafts/all", "", JSON).body()).contains("(secret)").doesNotContain("sail at dawn", "$sealed$");
        product.script("nothing_stored_contains sail at dawn");
        assertThat(refused("anna", TICKETS.replace("sail at dawn", "abc"), "draft", "add", "all", "-")).contains("must have at least 6 characters");
        assertThat(said("anna", "", "draft", "run", "all")).contains("all devices hold what was ordered");

        assertThat(said("anna", "{refresh: [tidewater-clinics], move: [{service: northsound-tickets, version: 2}]}", "draft", "add", "later", "-")).contains("refresh tidewater-clinics", "version: 3 → 2");
        assertThat(said("anna", "", "draft", "remove", "later", "northsound-tickets")).contains("northsound-tickets");
        assertThat(said("anna", "", "draft", "run", "later")).contains("no change");
        assertThat(said("anna", "", "draft", "list")).contains("no drafts");
    }

    /** A table becomes entries by way of the service: what its columns are taken for is told and kept, what is wrong is told by line and column, good rows are kept apart on request. */
    @Test
    void aTableBecomesEntries(@TempDir Path folder) throws Exception {
        Path table = folder.resolve("sites.csv");
        Path columns = folder.resolve("columns.json");
        String rows = "\ufeffService;Site;Provider edge;Port;Tag;Our address;Customer's address;Rate;Colour\n"
                + "lamp-rooms;haven;haven-pe1;access-1;310;192.0.2.0/31;192.0.2.1;1000;red\n"
                + "lamp-rooms;ternsay;ternsay-pe1;access-1;310;192.0.2.2/31;192.0.2.3;;red\n";
        Files.writeString(table, rows);
        assertThat(said("anna", "", "draft", "table", "lamps", table.toString(), "--model", "l3vpn", "--always", "tenant=Tidewater Clinics", "--mapping-to", columns.toString())).contains("wrote");
        assertThat(Files.readString(columns)).contains("\"Provider edge\":\"sites/device\"", "\"tenant\":\"Tidewater Clinics\"");
        assertThat(said("anna", "", "draft", "table", "lamps", table.toString(), "--model", "l3vpn", "--mapping", columns.toString())).contains("Site: sites/name", "Colour: passed over", "1 service", "lamps has 1 entry");
        assertThat(said("anna", "", "draft", "preview", "lamps", "--counts")).contains("haven-pe1", "ternsay-pe1");

        Files.writeString(table, rows + "quays;olvar;olvar-pe1;access-1;312;192.0.2.4/31;192.0.2.5;fast;blue\nkilns;olvar;olvar-pe9;access-1;311;192.0.2.4/31;192.0.2.5;;\n");
        assertThat(refused("anna", "", "draft", "table", "lamps", table.toString(), "--model", "l3vpn", "--mapping", columns.toString())).contains("line 4, Rate: ", "1 cell is wrong, and nothing was added");
        Result good = product.rilvanAs(people.token("anna"), Map.of(), "", "draft", "table", "lamps", table.toString(), "--model", "l3vpn", "--mapping", columns.toString(), "--good");
        assertThat(good.code()).isEqualTo(1);
        assertThat(good.output()).contains("line 5, Provider edge: there is no device named 'olvar-pe9'", "lamps has 2 entries");
        assertThat(refused("anna", "", "draft", "table", "lamps", folder.resolve("none.csv").toString(), "--model", "l3vpn")).contains("there is no file");
        assertThat(refused("anna", "", "draft", "table", "lamps", table.toString(), "--model", "l3vnp")).contains("there is no service model 'l3vnp'; the nearest is l3vpn");
        Files.writeString(columns, "{\"columns\": {\"Prot\": \"sites/port\"}}");
        assertThat(refused("anna", "", "draft", "table", "lamps", table.toString(), "--model", "l3vpn", "--mapping", columns.toString())).contains("the table has no column of this heading; the nearest is Port");
        Files.write(table, rows.substring(1).replace("red", "r\u00e9d").getBytes(StandardCharsets.ISO_8859_1));
        assertThat(refused("anna", "", "draft", "table", "lamps", table.toString(), "--model", "l3vpn", "--always", "tenant=Tidewater Clinics")).contains("UTF-8");
        said("anna", "", "draft", "remove", "lamps");
    }

    /** What a service was is looked at value by value, and comes back by a draft: one service, or all of an order; later orders in the way are named. */
    @Test
    void aServiceReturnsAndAnOrderIsUndone() throws Exception {
        product.done(WIRE);
        product.done(WIRE.replace("rate: 100000", "rate: 50000"));
        long slower = product.latestOrder();
        product.done(WIRE.replace("rate: 100000", "rate: 20000").stripTrailing() + "\n" + CLINICS.substring(CLINICS.indexOf("  - name")));
        long both = product.latestOrder();
        String versions = said("anna", "", "service", "versions", "kelp-works-wire");
        assertThat(versions).contains("add", "change").containsPattern("(?m)^" + both + " ").containsPattern("(?m)^" + slower + " ");
        assertThat(said("anna", "", "service", "diff", "kelp-works-wire", "--from", Long.toString(slower))).contains("rate: 50000 → 20000");
        assertThat(said("anna", "", "service", "diff", "kelp-works-wire", "--from", Long.toString(slower - 1), "--to", Long.toString(slower))).contains("rate: 100000 → 50000");
        // So is what the devices held.
        List<JsonObject> held = JsonParser.array().from(product.request("GET", "/api/v1/devices/haven-pe1/snapshots?limit=2", "", JSON).body()).stream().map(JsonObject.class::cast).toList();
        assertThat(held.get(0).getLong("order")).isEqualTo(both);
        assertThat(said("anna", "", "device", "snapshots", "haven-pe1")).contains("order " + both, "order " + slower);
        assertThat(said("anna", "", "device", "diff", "haven-pe1", "--from", held.get(1).getString("at"))).contains("--- haven-pe1 at", "+++ haven-pe1 now", "\n+").contains("20000", "50000");
        assertThat(said("anna", "", "device", "diff", "haven-pe1", "--from", held.get(0).getString("at"))).contains("no difference");
        assertThat(said("anna", "", "device", "configuration", "haven-pe1", "--at", held.get(1).getString("at"))).contains("50000").doesNotContain("20000");
        assertThat(refused("anna", "", "device", "configuration", "haven-pe1", "--at", "2001-01-01T00:00:00Z")).contains("what haven-pe1 held at 2001-01-01T00:00Z is not known");
        // And what the service said on them, in their own language.
        assertThat(said("anna", "", "service", "diff", "kelp-works-wire", "--from", Long.toString(slower - 1), "--to", Long.toString(slower), "--lines"))
                .contains("--- haven-pe1 after order " + (slower - 1), "+++ haven-pe1 after order " + slower, "--- olvar-pe1 after order").containsPattern("(?m)^-.*100000").containsPattern("(?m)^\\+.*50000");
        assertThat(said("anna", "", "service", "diff", "kelp-works-wire", "--from", Long.toString(both), "--lines")).contains("no difference");
        String lines = product.request("GET", "/api/v1/services/kelp-works-wire/lines?order=" + slower, "", JSON).body();
        assertThat(lines).contains("haven-pe1", "olvar-pe1", "50000").doesNotContain("ternsay-pe1", "20000");

        assertThat(said("anna", "", "service", "return", "kelp-works-wire", "--to", Long.toString(slower - 1), "--draft", "back")).contains("change kelp-works-wire", "rate: 20000 → 100000");
        assertThat(said("anna", "", "draft", "run", "back")).contains("all devices hold what was ordered");

        assertThat(refused("bert", "", "order", "undo", Long.toString(both), "--draft", "undone")).contains("later orders have changed the same services: kelp-works-wire (order " + (both + 1) + ")", "later: undo");
        assertThat(said("bert", "", "order", "undo", Long.toString(both), "--draft", "undone", "--later", "skip")).contains("remove tidewater-clinics").doesNotContain("kelp-works-wire");
        assertThat(said("bert", "", "order", "undo", Long.toString(both), "--draft", "undone", "--later", "undo")).contains("remove tidewater-clinics", "change kelp-works-wire", "rate: 100000 → 50000");
        assertThat(said("bert", "", "draft", "run", "undone")).contains("all devices hold what was ordered");
        assertThat(said("bert", "", "order", "show", Long.toString(product.latestOrder()))).contains("undo order " + both);

        // A service that was removed comes back by undoing its removal.
        product.done("{remove: [kelp-works-wire]}");
        assertThat(said("bert", "", "order", "undo", Long.toString(product.latestOrder()), "--draft", "again")).contains("add kelp-works-wire");
        assertThat(said("bert", "", "draft", "run", "again")).contains("all devices hold what was ordered");
        assertThat(product.get("/api/v1/services/kelp-works-wire").getObject("service").getObject("parameters").getLong("rate")).isEqualTo(50_000);

        // Whoever does not see an order undoes nothing of it.
        assertThat(refused("kelp", "", "order", "undo", Long.toString(both), "--draft", "theirs")).contains("there is no order " + both);
        assertThat(refused("anna", "", "service", "return", "kelp-works-wire", "--to", "999999", "--draft", "theirs")).contains("order 999999 has made nothing of a service named 'kelp-works-wire'");
        assertThat(refused("anna", "", "order", "undo", Long.toString(both), "--draft", "theirs", "--later", "perhaps")).contains("must be undo or skip");
    }

    /** A conflict with what somebody typed is decided in the draft, and asked about again where the device says something else by then; what was there before comes back with the service's end. */
    @Test
    void whatIsDecidedHoldsForWhatTheDeviceSaidThen() throws Exception {
        Matcher vrf = Pattern.compile("<name>(VPN-\\d+)</name>").matcher(said("anna", CLINICS, "order", "preview", "-"));
        assertThat(vrf.find()).isTrue();
        String typed = "<vpn xmlns='urn:quern:vpn'><vrf%s><name>" + vrf.group(1) + "</name><rd>%s</rd></vrf></vpn>";
        product.typed("haven-pe1", typed.formatted("", "64999:1"));
        product.rilvan("", "device", "read", "haven-pe1");
        String wrong = said("anna", CLINICS, "draft", "add", "decided", "-");
        Matcher conflict = Pattern.compile("conflict on haven-pe1: (\\S+) is already set to '64999:1'").matcher(wrong);
        assertThat(conflict.find()).as(wrong).isTrue();
        assertThat(refused("anna", "", "draft", "rehearse", "decided")).contains("conflict on haven-pe1");
        assertThat(refused("anna", "", "draft", "decide", "decided", "haven-pe9", conflict.group(1), "replace")).contains("there is no device named 'haven-pe9'");
        assertThat(refused("anna", "", "draft", "decide", "decided", "haven-pe1", conflict.group(1), "destroy")).contains("must be one of join, leave, replace, restore");
        assertThat(refused("anna", "", "draft", "decide", "decided", "haven-pe1", "/nowhere[", "replace")).contains("/path");

        // About the whole table, not node by node.
        String table = conflict.group(1).substring(0, conflict.group(1).lastIndexOf('/'));
        assertThat(said("anna", "", "draft", "decide", "decided", "haven-pe1", table, "replace", "--reason", "nobody uses it")).contains("decided: replace " + table + " of haven-pe1", "by anna", "nobody uses it", "64999:1")
                .doesNotContain("wrong");
        assertThat(said("bert", "", "draft", "rehearse", "decided")).contains("nothing that could be tried stands against the order");

        product.typed("haven-pe1", typed.formatted("", "64999:2"));
        product.rilvan("", "device", "read", "haven-pe1");
        assertThat(said("bert", "", "draft", "show", "decided")).contains("the device says something else since: decide again");
        assertThat(refused("bert", "", "draft", "run", "decided")).contains("haven-pe1 says something else at " + table + " since anna decided to replace; look at it, and decide again");
        assertThat(said("bert", "", "draft", "split", "decided", "other", "--by", "anna")).contains("other has 1 entry");
        assertThat(said("bert", "", "draft", "decide", "other", "haven-pe1", table, "--undo")).contains("nothing is decided");
        assertThat(refused("bert", "", "draft", "run", "other")).contains("conflict on haven-pe1");
        said("bert", "", "draft", "decide", "other", "haven-pe1", table, "replace");
        assertThat(said("bert", "", "draft", "run", "other")).contains("all devices hold what was ordered");
        product.removeAll();
        assertThat(product.rilvan("", "device", "configuration", "haven-pe1", "--live").output()).contains("64999:2");
        product.typed("haven-pe1", typed.formatted(" xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0' nc:operation='delete'", "64999:2"));
        product.rilvan("", "device", "read", "haven-pe1");
    }

    /** A draft keeps the numbers of its entries until a time: nobody else gets them, whatever is planned for the services takes them, and they are free again when it ends. */
    @Test
    void numbersAreKeptUntilATime() throws Exception {
        product.done(WIRE);
        said("anna", CLINICS, "draft", "add", "told", "-");
        said("anna", WIRE.replace("kelp-works-wire", "kelp-second-wire").replaceAll("\\b(4[01])0\\b", "$12"), "draft", "add", "told", "-");
        assertThat(refused("anna", "", "draft", "reserve", "told", "--until", "2001-01-01T00:00:00Z")).contains("is past");
        assertThat(refused("kelp", "", "draft", "reserve", "none", "--until", inAnHour())).contains("there is no draft named 'none'");
        String kept = said("anna", "", "draft", "reserve", "told", "--until", inAnHour());
        assertThat(kept).contains("kept until", "tidewater-clinics", "kelp-second-wire", "pool ");
        assertThat(said("kelp", "", "draft", "show", "told")).contains("kelp-second-wire", "keeps numbers until").doesNotContain("idewater");
        Map<String, Set<String>> numbers = numbers("told");
        assertThat(numbers).containsOnlyKeys("tidewater-clinics", "kelp-second-wire").allSatisfy((service, each) -> assertThat(each).isNotEmpty());

        // Others get other numbers, by way of any instance and after a kill; what was told is what comes.
        product.killed();
        product.done(TICKETS);
        assertThat(held("northsound-tickets")).isNotEmpty().doesNotContainAnyElementsOf(numbers.get("tidewater-clinics"));
        assertThat(said("anna", "", "draft", "split", "told", "wires", "--model", "l2vpn")).contains("1 entry");
        assertThat(numbers("wires")).isEqualTo(Map.of("kelp-second-wire", numbers.get("kelp-second-wire")));
        product.rilvan("", "lab", "refuse", "ternsay-pe1", "commit");
        assertThat(refused("anna", "", "draft", "run", "told")).contains("rolled back");
        product.rilvan("", "lab", "clear", "ternsay-pe1");
        assertThat(numbers("told")).isEqualTo(Map.of("tidewater-clinics", numbers.get("tidewater-clinics")));
        assertThat(refused("anna", CLINICS.replace("- name: tidewater-clinics", "- name: tidewater-others"), "order", "preview", "-")).contains("110 on haven-pe1 access-1 is kept by the draft told for tidewater-clinics");
        assertThat(said("anna", "", "draft", "run", "told")).contains("all devices hold what was ordered");
        assertThat(held("tidewater-clinics")).containsExactlyInAnyOrderElementsOf(numbers.get("tidewater-clinics"));

        // What an order does not want of a service's reserved numbers stays with the draft; when it ends they are free.
        said("bert", "", "draft", "reserve", "wires", "--until", inAnHour());
        assertThat(said("bert", "", "draft", "reserve", "wires", "--give-back")).contains("keeps no numbers");
        assertThat(numbers("wires").values()).allSatisfy(each -> assertThat(each).isEmpty());
        said("bert", "", "draft", "reserve", "wires", "--until", OffsetDateTime.now().plusSeconds(10).toString());
        while (!numbers("wires").get("kelp-second-wire").isEmpty()) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        assertThat(said("bert", "", "draft", "run", "wires")).contains("all devices hold what was ordered");
    }

    private static String inAnHour() {
        return OffsetDateTime.now().plusHours(1).toString();
    }

    /** The numbers that a draft keeps, by service. */
    private static Map<String, Set<String>> numbers(String draft) throws Exception {
        return product.get("/api/v1/drafts/" + draft).getArray("entries").stream().map(JsonObject.class::cast)
                .collect(Collectors.toMap(entry -> entry.getString("service"), entry -> written(entry)));
    }

    private static Set<String> held(String service) throws Exception {
        return written(product.get("/api/v1/services/" + service));
    }

    private static Set<String> written(JsonObject holder) {
        return holder.getArray("numbers").stream().map(JsonObject.class::cast).map(number -> number.getString("pool") + " " + number.getString("within") + " " + number.getString("written"))
                .collect(Collectors.toSet());
    }

    /** Wrong inputs are named, and change nothing. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "PUT | /api/v1/drafts/No%20Name | {\"reason\": \"\"} | 422 | is not a name",
        "PUT | /api/v1/drafts/good | {} | 422 | /reason",
        "GET | /api/v1/drafts/none | | 404 | there is no draft named 'none'",
        "DELETE | /api/v1/drafts/none | | 404 | there is no draft named 'none'",
        "POST | /api/v1/drafts/good/entries | {services: [} | 400 | line 1",
        "POST | /api/v1/drafts/good/entries | {} | 422 | an order names services",
        "POST | /api/v1/drafts/good/entries | {remove: [nobody]} | 422 | there is no service named 'nobody'",
        "POST | /api/v1/drafts/good/entries | {services: [{name: a, tenant: Kelp & Co., model: l4vpn, parameters: {}}]} | 422 | there is no model named 'l4vpn'",
        "POST | /api/v1/drafts/good/entries | {remove: [a], atomic: service} | 422 | when its order is placed",
        "POST | /api/v1/drafts/good/values | {\"service\": \"nobody\", \"values\": {\"a\": \"1\"}} | 404 | there is no service named 'nobody'",
        "POST | /api/v1/drafts/none/previews | {} | 404 | there is no draft named 'none'",
        "POST | /api/v1/drafts/none/orders | {} | 404 | there is no draft named 'none'",
        "POST | /api/v1/drafts/none/splits | {\"to\": \"other\"} | 404 | there is no draft named 'none'",
        "DELETE | /api/v1/drafts/none/entries/a | | 404 | there is no draft named 'none'",
        "PUT | /api/v1/drafts/none/reservation | {\"until\": \"2999-01-01T00:00:00Z\"} | 404 | there is no draft named",
        "PUT | /api/v1/drafts/none/reservation | {\"until\": \"tomorrow\"} | 400 | until",
        "DELETE | /api/v1/drafts/none/reservation | | 404 | there is no draft named 'none'",
        "POST | /api/v1/drafts/none/entries/a/renewal | | 404 | there is no draft named 'none'"})
    void wrongInputsChangeNothing(String method, String path, String body, int status, String told) throws Exception {
        HttpResponse<String> answer = product.request(method, path, body == null ? "" : body, path.endsWith("/entries") ? YAML : JSON);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(status);
        assertThat(answer.body()).contains(told);
        assertThat(product.request("GET", "/api/v1/drafts", "", JSON).body()).isEqualTo("[]");
    }
}
