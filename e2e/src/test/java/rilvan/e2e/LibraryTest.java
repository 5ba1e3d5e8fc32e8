package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** Models, dialects and the vocabulary on a running service: published, moved to, put into force, retired; whatever happens meanwhile. */
@Timeout(value = 10, unit = TimeUnit.MINUTES)
class LibraryTest {

    private static final String JSON = "application/json";
    private static final Path GUARD_LINE = Product.ROOT.resolve("docs/walk-through/services/guard-line");

    @TempDir
    private static Path folder;

    private static Product product;
    private static Map<String, String> before;

    @BeforeAll
    static void start() throws Exception {
        Path models = folder.resolve("models");
        WalkThroughTest.copy(Product.ROOT.resolve("models"), models);
        // A typing error in one of the files that the service starts from.
        change(models.resolve("services/vpls/model.yaml"), "model: vpls", "modell: vpls");
        product = new Product("library", models, Map.of("RILVAN_HEALTH_INTERVAL", "1h"));
        before = product.held();
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    private static void change(Path file, String from, String to) throws Exception {
        String text = Files.readString(file);
        assertThat(text).contains(from);
        Files.writeString(file, text.replace(from, to));
    }

    /** A copy of a folder to work on. */
    private static Path copy(Path of, String name) throws Exception {
        Path copy = folder.resolve(name);
        WalkThroughTest.copy(of, copy);
        return copy;
    }

    private static Product.Result model(String... arguments) throws Exception {
        return product.rilvan("", Stream.concat(Stream.of("model"), Stream.of(arguments)).toArray(String[]::new));
    }

    private static String example(String name) throws Exception {
        return Files.readString(GUARD_LINE.resolve("examples/" + name + ".yaml"));
    }

    private static String modelOf(String service) throws Exception {
        JsonObject head = product.get("/api/v1/services/" + service).getObject("service");
        return head.getString("model") + " " + head.getInt("modelVersion");
    }

    @Test
    void aBadFileAtTheStartIsReportedAndTheRestServes() throws Exception {
        JsonArray problems = product.get("/api/v1/library").getArray("problems");
        // What contains services of it is not there either.
        assertThat(problems.stream().map(each -> ((JsonObject) each).getString("where"))).containsExactly("services/vpls/model.yaml /model", "services/offices/model.yaml /services/1/model");
        assertThat(model("list").output()).contains("l3vpn").doesNotContain("vpls", "offices");
        Product.Result published = model("publish", Product.ROOT.resolve("models/services/vpls").toString(), "--reason", "as it was meant");
        assertThat(published.output()).matches("service model vpls \\d+ is published and in force\n");
        product.done(Files.readString(Product.ROOT.resolve("models/services/vpls/examples/ferries-quays.yaml")));
        product.done("remove: [ferries-quays]");
    }

    @Test
    void servicesStayOnTheirVersionUntilAnOrderMovesThem() throws Exception {
        assertThat(model("publish", GUARD_LINE.toString()).output()).isEqualTo("service model guard-line 1 is published and in force\n");
        String first = example("first");
        String name = first.replaceFirst("(?s).*- name: (\\S+).*", "$1");
        product.done(first);
        product.done(first.replace(name, "guard-two").replace("tag: 990", "tag: 991"));
        assertThat(model("page", "guard-line").output()).contains("2 services stand on it: ", name, "guard-two");
        assertThat(product.get("/api/v1/models/l3vpn/page").getString("page")).startsWith("# Layer 3 VPN");
        Path second = copy(GUARD_LINE, "guard-line-2");
        change(second.resolve("model.yaml"), "version: 1", "version: 2");
        change(second.resolve("model.yaml"), "'guard line '", "'coast guard, '");
        assertThat(model("publish", second.toString(), "--preview").output()).isEqualTo("service model guard-line 2 can be published\n");
        assertThat(model("publish", second.toString()).code()).isZero();
        assertThat(model("diff", "guard-line", "--from", "1", "--to", "2").output()).contains("-      description: \"='guard line ' + p.name\"", "+      description: \"='coast guard, ' + p.name\"");
        // Changed, a service stays on its version; a new one is made from the latest.
        product.done(first.replace("tag: 990", "tag: 992"));
        product.done(first.replace(name, "guard-three").replace("tag: 990", "tag: 993"));
        assertThat(List.of(modelOf(name), modelOf("guard-two"), modelOf("guard-three"))).containsExactly("guard-line 1", "guard-line 1", "guard-line 2");
        assertThat(model("retire", "guard-line", "1").output()).contains("services stand on the model guard-line, version 1: guard-");
        // One first, then the others.
        Product.Result shown = product.rilvan("", "service", "move", "--model", "guard-line", "--to", "2", "--first", "1", "--preview");
        assertThat(shown.output()).contains("-", "guard line ", "coast guard, ");
        assertThat(product.rilvan("", "service", "move", "--model", "guard-line", "--to", "2", "--first", "1").code()).isZero();
        assertThat(product.rilvan("", "service", "move", "--model", "guard-line", "--to", "2").code()).isZero();
        assertThat(List.of(modelOf(name), modelOf("guard-two"), modelOf("guard-three"))).containsOnly("guard-line 2");
        assertThat(product.rilvan("", "service", "move", name, "--to", "7").output()).contains("/move/0", "the service model guard-line has no version 7; available: 1, 2");
        assertThat(model("retire", "guard-line", "1").code()).isZero();
        assertThat(product.rilvan("", "service", "move", name, "--to", "1").output()).contains("has no version 1; available: 2");
        product.done("remove: [" + name + ", guard-two, guard-three]");
        assertThat(product.held()).isEqualTo(before);
        Path exported = folder.resolve("exported");
        assertThat(model("export", "guard-line", "2", exported.toString()).code()).isZero();
        assertThat(model("diff", exported.toString()).output()).isEqualTo("no file differs\n");
    }

    @Test
    void aDialectIsPutIntoForceAndServicesAreBroughtUpToDate() throws Exception {
        product.done(Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml")));
        Path next = copy(Product.ROOT.resolve("models/dialects/quern"), "quern");
        change(next.resolve("dialect.yaml"), "version: 2", "version: 3");
        change(next.resolve("clauses/vrf.xml"), "${description}", "${description}, managed");
        Product.Result published = model("publish", next.toString());
        assertThat(published.output()).contains("1 service would say something else with it in force:\n  tidewater-clinics  haven-pe1, ternsay-pe1\n");
        assertThat(product.get("/api/v1/services/tidewater-clinics").getObject("outOfDate").getArray("devices")).isEmpty();
        assertThat(model("activate", "quern", "3").code()).isZero();
        product.await("/api/v1/services/tidewater-clinics", "outOfDate", each -> each.getArray("devices").equals(JsonArray.from("haven-pe1", "ternsay-pe1")));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").output()).contains("no change since the last reading");
        assertThat(product.rilvan("", "service", "refresh", "tidewater-clinics").code()).isZero();
        assertThat(product.running("haven-pe1")).contains("tidewater-clinics, managed</description>");
        // One that knows less than what services have put there is refused.
        Path poorer = copy(next, "poorer");
        change(poorer.resolve("dialect.yaml"), "version: 3", "version: 4");
        Files.writeString(poorer.resolve("schema.table"), Files.readString(poorer.resolve("schema.table")).replaceFirst("(?m)^(\\s+)multipath ", "$1ways "));
        assertThat(model("publish", poorer.toString()).output()).contains("/clauses/vrf", "multipath");
        product.done("remove: [tidewater-clinics]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** From documentation: a clause, the templates of two families, and a model that uses it, on a service that stands already. */
    @Test
    void aClauseIsAddedOnTheRunningService() throws Exception {
        Path files = Product.ROOT.resolve("docs/walk-through/closed-ports");
        product.done(Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/northsound-ferries.yaml")));
        Path vocabulary = folder.resolve("my-vocabulary");
        assertThat(model("export", "vocabulary", "2", vocabulary.toString()).code()).isZero();
        change(vocabulary.resolve("vocabulary.yaml"), "version: 2\nclauses:\n", "version: 3\nclauses:\n" + Files.readString(files.resolve("clause.yaml")));
        assertThat(model("publish", files.resolve("service").toString()).output()).contains("unknown clause 'closed-port'");
        // What only adds is in force at once; what says something otherwise waits.
        assertThat(model("publish", vocabulary.toString()).output()).isEqualTo("vocabulary 3 is published and in force\n");
        change(vocabulary.resolve("vocabulary.yaml"), "version: 3\nclauses:\n", "version: 4\nclauses:\n");
        change(vocabulary.resolve("vocabulary.yaml"), "mtu <= most", "mtu < most");
        assertThat(model("publish", vocabulary.toString()).output()).contains("vocabulary 4 is published", "rilvan model activate vocabulary 4");
        template("quern", "xml", files.resolve("quern.xml"));
        template("brae", "txt", files.resolve("brae.txt"));
        assertThat(model("publish", files.resolve("service").toString()).output()).isEqualTo("service model closed-ports 1 is published and in force\n");
        String order = Files.readString(files.resolve("service/examples/first.yaml"));
        product.done(order);
        assertThat(product.running("haven-pe1")).contains("<enabled>false</enabled>");
        assertThat(product.running("skarn-pe1")).containsPattern("port access-4\n( note .*\n)? closed\n");
        // A family that has no template for it says so, and nothing is done.
        assertThat(product.rilvan(order.replace("device: skarn-pe1, port: access-4", "device: olvar-pe1, port: access-3"), "order", "preview", "-").output()).contains("olvar-pe1 is of the family tarn, which cannot express 'closed-port'");
        product.done("remove: [unused-at-haven-and-skarn, northsound-tickets]");
        assertThat(product.held()).isEqualTo(before);
    }

    private static void template(String family, String ending, Path template) throws Exception {
        // Another test publishes a version of this family as well.
        int step = 10;
        int version = product.get("/api/v1/library").getArray("releases").stream().map(JsonObject.class::cast)
                .filter(each -> each.getString("name").equals(family)).mapToInt(each -> each.getInt("version")).max().orElseThrow();
        Path own = folder.resolve("my-" + family);
        assertThat(model("export", family, Integer.toString(version), own.toString()).code()).isZero();
        change(own.resolve("dialect.yaml"), "version: " + version, "version: " + (version + step));
        change(own.resolve("dialect.yaml"), "clauses:\n", "clauses:\n  closed-port: clauses/closed-port." + ending + "\n");
        Files.copy(template, own.resolve("clauses/closed-port." + ending));
        assertThat(model("publish", own.toString()).output()).doesNotContain("would say something else");
        assertThat(model("activate", family, Integer.toString(version + step)).code()).isZero();
    }

    /** What is planned with one version of the library and what is put into force meanwhile do not meet. */
    @Test
    void instancesAgreeAndAKillLeavesTheOldOrTheNew() throws Exception {
        String second = product.launch(1);
        while (!product.isReady(second)) {
            TimeUnit.MILLISECONDS.sleep(50);
        }
        long seed = System.nanoTime();
        Random random = new Random(seed);
        for (int version = 10; version < 14; version++) {
            Map<String, String> files = new TreeMap<>();
            for (String file : List.of("model.yaml", "tests.yaml", "examples/first.yaml", "examples/with-slate.yaml")) {
                files.put(file, Files.readString(GUARD_LINE.resolve(file)));
            }
            files.put("model.yaml", files.get("model.yaml").replace("model: guard-line", "model: coast-line").replace("version: 1", "version: " + version));
            String body = JsonWriter.string(Map.of("folder", "coast-line", "files", files, "reason", "seed " + seed));
            CompletableFuture<HttpResponse<String>> publishing = CompletableFuture.supplyAsync(() -> {
                try {
                    return product.request("POST", "/api/v1/releases", body, JSON);
                } catch (Exception e) {
                    return null;
                }
            });
            TimeUnit.MILLISECONDS.sleep(random.nextInt(400));
            product.script("cut_service");
            HttpResponse<String> answer = publishing.join();
            product.script("start_service");
            HttpResponse<String> stored = product.request("GET", "/api/v1/releases/model/coast-line/" + version, "", JSON);
            assertThat(stored.statusCode()).as("seed %d", seed).isIn(200, 404);
            if (answer != null && answer.statusCode() == 201) {
                assertThat(stored.statusCode()).as("seed %d: what was answered is there", seed).isEqualTo(200);
            }
            if (stored.statusCode() == 200) {
                assertThat(JsonParser.object().from(stored.body())).as("seed %d", seed).isEqualTo(JsonParser.object().from(JsonWriter.string(files)));
            }
        }
        assertThat(model("publish", copy(GUARD_LINE, "coast-line").toString(), "--preview").code()).isZero();
        change(folder.resolve("coast-line/model.yaml"), "model: guard-line", "model: pier-line");
        assertThat(model("publish", folder.resolve("coast-line").toString()).code()).isZero();
        long told = System.nanoTime();
        while (product.request(second, "GET", "/api/v1/models/pier-line", "", JSON).statusCode() != 200) {
            assertThat(TimeUnit.NANOSECONDS.toMinutes(System.nanoTime() - told)).as("the other instance does not take it up").isZero();
            TimeUnit.MILLISECONDS.sleep(20);
        }
    }

    @Test
    void whatIsWrongIsRefusedWithItsPlaceAndNothingIsStored() throws Exception {
        Path wrong = copy(GUARD_LINE, "wrong");
        change(wrong.resolve("model.yaml"), "model: guard-line", "model: wrong-line");
        change(wrong.resolve("model.yaml"), "pool: access-tag", "pool: acess-tag");
        assertThat(model("publish", wrong.toString()).output()).contains("/allocate/access/pool", "the network has no pool 'acess-tag'; the nearest is access-tag");
        change(wrong.resolve("model.yaml"), "at: p.name", "at: p.nam");
        assertThat(model("publish", wrong.toString()).output()).contains("/require/1/at", "p has no field 'nam'; the nearest is name");
        assertThat(model("publish", folder.resolve("nowhere").toString()).output()).contains("there is no folder");
        assertThat(model("publish", Files.createDirectories(folder.resolve("empty")).toString()).output()).contains("has neither model.yaml nor dialect.yaml nor vocabulary.yaml");
        assertThat(product.request("POST", "/api/v1/releases", "{\"files\":{\"../model.yaml\":\"\"}}", JSON).statusCode()).isEqualTo(422);
        assertThat(product.request("POST", "/api/v1/releases", "{\"files\":{\"model.yaml\":null}}", JSON).statusCode()).isEqualTo(422);
        assertThat(product.request("POST", "/api/v1/releases", "{}", JSON).statusCode()).isEqualTo(422);
        assertThat(product.request("GET", "/api/v1/releases/nothing/x/1", "", JSON).statusCode()).isEqualTo(404);
        assertThat(product.request("POST", "/api/v1/releases/model/l3vpn/" + Product.version("l3vpn") + "/activation", "", JSON).statusCode()).isEqualTo(409);
        assertThat(product.request("POST", "/api/v1/releases/dialect/tarn/2/retirement", "", JSON).statusCode()).isEqualTo(409);
        assertThat(model("list", "--versions").output()).doesNotContain("wrong-line");
    }
}
