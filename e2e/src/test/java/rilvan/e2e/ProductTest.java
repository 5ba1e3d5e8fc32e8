package rilvan.e2e;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.microsoft.playwright.Browser;
import com.microsoft.playwright.BrowserType;
import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.Playwright;
import com.microsoft.playwright.assertions.PlaywrightAssertions;
import com.microsoft.playwright.options.AriaRole;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/** The product from outside, through its three faces. Whatever a test does, the devices end as they began. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class ProductTest {

    private static final String YAML = "application/yaml";
    private static Product product;
    private static String clinics;
    private static Playwright playwright;
    private static Browser browser;
    private Map<String, String> devices;

    @BeforeAll
    static void start() throws Exception {
        // A slow machine is no fault of the page's: the test's own limit ends what never comes.
        PlaywrightAssertions.setDefaultAssertionTimeout(60_000);
        product = new Product();
        clinics = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
        playwright = Playwright.create(new Playwright.CreateOptions().setEnv(Map.of("PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD", "1")));
        browser = playwright.chromium().launch(new BrowserType.LaunchOptions().setExecutablePath(Path.of("/usr/bin/chromium"))
                .setArgs(List.of("--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
                        "--disable-component-update", "--disable-sync")));
    }

    @AfterAll
    static void stop() throws Exception {
        playwright.close();
        product.close();
    }

    @BeforeEach
    void lookAtTheDevices() throws Exception {
        devices = product.held();
    }

    @AfterEach
    void theDevicesAreAsBefore() throws Exception {
        Map<String, String> now = product.held();
        List<String> left = JsonParser.array().from(product.request("GET", "/api/v1/services", "", YAML).body()).stream()
                .map(each -> ((JsonObject) each).getString("name")).toList();
        if (!left.isEmpty()) {
            // One that failed is not to fail those after it.
            product.rilvan("remove: [" + String.join(", ", left) + "]", "order", "run", "-");
        }
        assertThat(left).isEmpty();
        assertThat(now).isEqualTo(devices);
    }

    /** All examples of all models, those that build on others after them. */
    private static List<String> examples() throws Exception {
        try (Stream<Path> files = Files.walk(Product.ROOT.resolve("models/services"))) {
            List<String> orders = new ArrayList<>();
            for (Path file : files.filter(path -> path.getParent().endsWith("examples")).sorted().toList()) {
                orders.add(Files.readString(file));
            }
            return orders;
        }
    }

    @Test
    void theDemoCarriesAllKindsOfServiceOnAllFamiliesAtOnceAndGivesEverythingBack() throws Exception {
        for (String order : examples()) {
            Product.Result result = product.rilvan(order, "order", "run", "-");
            assertThat(result.code()).as(result.output()).isZero();
        }
        Map<String, Integer> kinds = new TreeMap<>();
        List<String> names = new ArrayList<>();
        for (Object each : JsonParser.array().from(product.request("GET", "/api/v1/services", "", YAML).body())) {
            JsonObject service = (JsonObject) each;
            names.add(service.getString("name"));
            kinds.merge(service.getString("model"), 1, Integer::sum);
            JsonObject detail = product.get("/api/v1/services/" + service.getString("name"));
            assertThat(detail.getArray("clauses").isEmpty()).as(service.toString()).isEqualTo(service.getString("model").equals("offices"));
            assertThat(detail.getObject("footprint").keySet()).containsExactlyInAnyOrderElementsOf(
                    service.getArray("devices").stream().map(String::valueOf).toList());
        }
        assertThat(kinds.remove("offices")).isEqualTo(1);
        assertThat(kinds).containsOnlyKeys("device-text", "l2vpn", "l3vpn", "tenant", "vpls").allSatisfy((kind, count) -> assertThat(count).as(kind).isGreaterThanOrEqualTo(3));
        // A secret is nowhere to be seen: not in the order, the service, the device's text, or what explains it.
        assertThat(product.rilvan("", "service", "show", "northsound-tickets").output()).contains("(secret)").doesNotContain("sail at dawn");
        assertThat(product.rilvan("", "device", "configuration", "haven-pe1").output()).contains("(secret)").doesNotContain("$5$");
        assertThat(product.request("GET", "/api/v1/orders?limit=500", "", YAML).body()).doesNotContain("sail at dawn");
        assertThat(product.rilvan("", "device", "explain", "skarn-pe1", "payload 1500").output()).contains("service tidewater-clinics of Tidewater Clinics",
                "setting transport_mtu = 4400, from site Skarn");
        String order = "remove: [" + String.join(", ", names) + "]";
        Product.Result gone = product.rilvan(order, "order", "run", "-");
        assertThat(gone.code()).as(gone.output()).isZero();
    }

    /** Each order leaves out what the other adds, on devices that the other does not touch: one must see what the other has done. */
    @Test
    void ordersOfOneServiceAtTheSameTimeDoNotLoseEachOther() throws Exception {
        assertThat(product.rilvan(clinics, "order", "run", "-").code()).isZero();
        String site = """
                        - { name: %s, device: %s, port: access-1, tag: 110, address: 192.0.2.%d/31, customer: 192.0.2.%d }
                """;
        List<String> orders = List.of(clinics + site.formatted("olvar", "olvar-pe1", 4, 5), clinics + site.formatted("skarn", "skarn-pe1", 6, 7));
        for (int round = 0; round < 3; round++) {
            ExecutorService threads = Executors.newFixedThreadPool(2);
            List<Future<Long>> placed = new ArrayList<>();
            for (String order : orders) {
                placed.add(threads.submit(() -> product.place(order)));
            }
            for (Future<Long> each : placed) {
                long order = each.get();
                product.await("/api/v1/orders/" + order, "order", view -> view.getString("state").equals("DONE"));
            }
            threads.shutdown();
            String stands = product.get("/api/v1/services/tidewater-clinics").getObject("service").getArray("devices").toString();
            for (String device : List.of("olvar-pe1", "skarn-pe1")) {
                assertThat(product.running(device).contains("tidewater-clinics")).as(device + " of " + stands).isEqualTo(stands.contains(device));
            }
            assertThat(product.rilvan(clinics, "order", "run", "-").code()).isZero();
        }
        assertThat(product.rilvan("", "service", "remove", "tidewater-clinics").code()).isZero();
    }

    /** Places an order; where another one holds what it needs, it waits in line. */
    /** A key belongs to one document: repeated it gives the same order, also where the plan would be another by now; with another document it is refused. */
    @Test
    void aRepeatedRequestIsTheSameOrder() throws Exception {
        assertThat(product.rilvan(clinics, "order", "run", "-").code()).isZero();
        String remove = "remove: [tidewater-clinics]";
        HttpResponse<String> first = product.requestWithKey("a-key", "/api/v1/orders", remove);
        assertThat(first.statusCode()).as(first.body()).isEqualTo(202);
        long order = JsonParser.object().from(first.body()).getLong("order");
        product.await("/api/v1/orders/" + order, "order", view -> view.getString("state").equals("DONE"));
        HttpResponse<String> again = product.requestWithKey("a-key", "/api/v1/orders", remove);
        assertThat(again.statusCode()).as(again.body()).isEqualTo(202);
        assertThat(JsonParser.object().from(again.body()).getLong("order")).isEqualTo(order);
        HttpResponse<String> other = product.requestWithKey("a-key", "/api/v1/orders", clinics);
        assertThat(other.statusCode()).as(other.body()).isEqualTo(422);
        assertThat(other.body()).contains("belongs to order " + order);
    }

    /** However a secret is written, the stored order shows none of it. */
    @ParameterizedTest
    @ValueSource(strings = {"'sail '' at dawn'", "\"sail \\u0027 at dawn\"", "\"sail \\x27 at dawn\"", "\"sail ' at\\x20dawn\"", "sail ' at dawn"})
    void aSecretIsNotKeptInWhateverNotation(String written) throws Exception {
        String ferries = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/northsound-ferries.yaml"));
        assertThat(ferries).contains("sail at dawn");
        String document = ferries.replaceAll("secret: .*?sail at dawn['\"]?", java.util.regex.Matcher.quoteReplacement("secret: " + written));
        assertThat(document).contains(written);
        JsonObject placed = JsonParser.object().from(product.request("POST", "/api/v1/orders", document, YAML).body());
        String path = "/api/v1/orders/" + placed.getLong("order");
        product.await(path, "order", order -> List.of("DONE", "ROLLED_BACK").contains(order.getString("state")));
        assertThat(product.request("GET", path, "", YAML).body()).contains("(secret)").doesNotContain("at dawn", "at\\x20dawn", "sail");
        product.rilvan("", "service", "remove", "northsound-tickets");
    }

    @Test
    void ordersAtTheSameTimeNeverGetTheSameNumber() throws Exception {
        List<String> edges = List.of("haven-pe1", "ternsay-pe1", "olvar-pe1", "skarn-pe1", "hall-border1");
        ExecutorService threads = Executors.newFixedThreadPool(edges.size());
        List<Future<Long>> running = new ArrayList<>();
        for (int i = 0; i < 20; i++) {
            String document = """
                    services:
                      - name: load-%d
                        tenant: Kelp & Co.
                        model: l3vpn
                        parameters: { sites: [{ name: here, device: %s, port: access-2, tag: %d, addressing: pool-both }] }
                    """.formatted(i, edges.get(i % edges.size()), 800 + i);
            running.add(threads.submit(() -> {
                long order = product.place(document);
                product.await("/api/v1/orders/" + order, "order", view -> view.getString("state").equals("DONE"));
                return order;
            }));
        }
        for (Future<Long> each : running) {
            assertThat(each.get()).isPositive();
        }
        threads.shutdown();
        Set<String> taken = new HashSet<>();
        for (int i = 0; i < 20; i++) {
            for (Object each : product.get("/api/v1/services/load-" + i).getArray("numbers")) {
                JsonObject number = (JsonObject) each;
                assertThat(taken.add(number.getString("pool") + " " + number.getString("within") + " " + number.getLong("number"))).as(number.toString()).isTrue();
            }
        }
        assertThat(taken).hasSize(20 * 6);
        String all = "remove: [" + String.join(", ", IntStream.range(0, 20).mapToObj(i -> "load-" + i).toList()) + "]";
        assertThat(product.rilvan(all, "order", "run", "-").code()).isZero();
        // What was taken is free again: the first number of the pool is given to the next who asks.
        assertThat(product.rilvan(clinics, "order", "run", "-").code()).isZero();
        assertThat(product.get("/api/v1/services/tidewater-clinics").getArray("numbers").toString()).contains("VPN-1001");
        assertThat(product.rilvan("", "service", "remove", "tidewater-clinics").code()).isZero();
    }

    private static long orders() throws Exception {
        return JsonParser.array().from(product.request("GET", "/api/v1/orders?limit=500", "", YAML).body()).size();
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "device: haven-pe1 | device: heaven-pe1 | 422 | /services/0/parameters/sites/0/device | there is no device named 'heaven-pe1'",
        "tag: 110          | tag: 4095          | 422 | /services/0/parameters/sites/0/tag    | a tag is from 1 to 4094",
        "198.51.100.64/26  | 198.51.100.0/24    | 422 | /services/0/parameters/sites/1/routes/0 | 198.51.100.0/24 of ternsay overlaps haven 198.51.100.0/26",
        "tag: 110          | colour: red        | 422 | /services/0/parameters/sites/0/colour | is not a field of this model",
        "reason:           | reason: [          | 400 | ``                                    | line 2",
    })
    void badInputIsRefusedAtItsFieldInEveryFace(String given, String instead, int status, String pointer, String message) throws Exception {
        String document = clinics.replaceFirst(java.util.regex.Pattern.quote(given), instead);
        long before = orders();
        for (String path : List.of("/api/v1/previews", "/api/v1/orders")) {
            HttpResponse<String> answer = product.request("POST", path, document, YAML);
            assertThat(answer.statusCode()).as(answer.body()).isEqualTo(status);
            assertThat(answer.headers().firstValue("Content-Type")).hasValueSatisfying(type -> assertThat(type).startsWith("application/problem+json"));
            assertThat(JsonParser.object().from(answer.body()).getArray("errors").toString()).contains(pointer, message);
        }
        Product.Result result = product.rilvan(document, "order", "run", "-");
        assertThat(result.code()).as(result.output()).isEqualTo(3);
        assertThat(result.output()).contains(pointer, message);
        Page page = signedIn();
        page.navigate(product.server() + "/order");
        page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Document")).click();
        page.getByLabel("Order, as YAML or JSON").fill(document);
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Preview")).click();
        assertThat(page.locator(".v-alert[role=alert]").first()).containsText(message);
        assertThat(page.locator(".v-alert[role=alert]").first()).containsText(pointer);
        page.context().close();
        assertThat(orders()).isEqualTo(before);
    }

    @Test
    void aTagInUseIsRefusedWithTheNameOfWhoHasIt() throws Exception {
        assertThat(product.rilvan(clinics, "order", "run", "-").code()).isZero();
        Product.Result result = product.rilvan(clinics.replace("name: tidewater-clinics", "name: kelp-and-co"), "order", "preview", "-");
        assertThat(result.code()).isEqualTo(3);
        assertThat(result.output()).contains("/services/0/parameters/sites/0/tag", "110 on haven-pe1 access-1 is already in use by tidewater-clinics");
        assertThat(product.rilvan("", "service", "remove", "tidewater-clinics").code()).isZero();
    }

    @Test
    void aServiceIsOrderedFromAFormFollowedAndRemovedInTheConsole() throws Exception {
        Page page = signedIn();
        page.navigate(product.server() + "/order");
        page.getByLabel("Kind of service").click(new Locator.ClickOptions().setForce(true));
        page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName("Layer 3 VPN")).click();
        page.getByLabel("Name of the service").fill("northsound-ferries");
        page.getByLabel("Tenant").fill("Northsound Ferries");
        page.getByLabel("Reason").fill("Ticket desks on both piers");
        site(page, 0, "haven-pier", "haven-pe1", "9999", "192.0.2.16/31", "192.0.2.17");
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Add to sites")).click();
        site(page, 1, "ternsay-pier", "ternsay-pe1", "130", "192.0.2.18/31", "192.0.2.19");
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Preview")).click();
        Locator first = page.locator(".item").nth(0);
        assertThat(first).containsText("9999 is not a VLAN tag");
        first.getByLabel("Tag", new Locator.GetByLabelOptions().setExact(true)).fill("130");
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Preview")).click();
        assertThat(page.getByText("<description>northsound-ferries haven-pier</description>")).isVisible();
        assertThat(product.held()).isEqualTo(devices);
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Run this order")).click();
        assertThat(page.getByText("Done: all devices hold what was ordered")).isVisible();
        assertThat(page.getByText("to the handoff").first()).isVisible();
        // Each device has gone through each phase.
        Locator phases = page.locator("table.progress");
        assertThat(phases).containsText("confirmed commit");
        assertThat(phases.getByLabel("ok")).hasCount(14);
        assertThat(product.running("haven-pe1")).contains("northsound-ferries haven-pier");

        page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("northsound-ferries")).first().click();
        page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Clauses")).click();
        assertThat(page.getByRole(AriaRole.ROW).filter(new Locator.FilterOptions().setHasText("attachment"))).hasCount(2);
        page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Footprint")).click();
        assertThat(page.getByText("<description>northsound-ferries haven-pier</description>")).isVisible();
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Remove")).click();
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Run this order")).click();
        assertThat(page.getByText("Done: all devices hold what was ordered")).isVisible();
        page.context().close();
    }

    private static void site(Page page, int index, String name, String device, String tag, String address, String customer) {
        Locator site = page.locator(".item").nth(index);
        site.getByLabel("Name", new Locator.GetByLabelOptions().setExact(true)).fill(name);
        site.getByLabel("Provider edge").fill(device);
        page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName(device)).click();
        site.getByLabel("Port", new Locator.GetByLabelOptions().setExact(true)).fill("access-5");
        page.getByRole(AriaRole.OPTION, new Page.GetByRoleOptions().setName("access-5")).click();
        site.getByLabel("Tag", new Locator.GetByLabelOptions().setExact(true)).fill(tag);
        site.getByLabel("Our address", new Locator.GetByLabelOptions().setExact(true)).fill(address);
        site.getByLabel("Customer's address", new Locator.GetByLabelOptions().setExact(true)).fill(customer);
    }

    private static Page signedIn() throws Exception {
        Page page = browser.newContext().newPage();
        page.navigate(product.server() + "/");
        page.getByLabel("User").fill("engineer");
        page.getByLabel("Password").fill(product.password());
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Sign in")).click();
        assertThat(page.getByText("Needs attention")).isVisible();
        return page;
    }

    /** Frames over families that mix; then somebody types on a router, and whoever looks is told what no longer agrees. */
    @Test
    void theStateOfServicesIsShownOnEveryFace() throws Exception {
        String wire = Files.readString(Product.ROOT.resolve("models/services/l2vpn/examples/kelp-works-wire.yaml"));
        Product.Result placed = product.rilvan(wire, "order", "run", "-");
        assertThat(placed.code()).as(placed.output()).isZero();
        assertThat(placed.output()).contains("check frames from haven-pe1 to olvar-pe1 access-2: pass, 3 of 3 came back");
        assertThat(product.rilvan("", "service", "check", "kelp-works-wire").code()).isZero();
        assertThat(product.rilvan("", "network", "links").output()).contains("all 41 links are up and agree");
        Page page = signedIn();
        page.navigate(product.server() + "/map");
        assertThat(page.getByText("All 41 links are up and agree.")).isVisible();
        assertThat(product.rilvan("routes own\n ospf core-1 0 area 0.0.0.9\n", "lab", "type", "skarn-pe1", "-").code()).isZero();
        Product.Result links = product.rilvan("", "network", "links");
        while (links.code() == 0) {
            // It takes the network a moment to notice.
            links = product.rilvan("", "network", "links");
        }
        assertThat(links.output()).contains("area is 0.0.0.0 at olvar-pe1 core-2 and 0.0.0.9 at skarn-pe1 core-1");
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Compare again")).click();
        assertThat(page.getByText("area is 0.0.0.0 at olvar-pe1 core-2 and 0.0.0.9 at skarn-pe1 core-1").first()).isVisible();
        assertThat(product.rilvan("routes own\n drop ospf core-1 0 area 0.0.0.9\n", "lab", "type", "skarn-pe1", "-").code()).isZero();
        page.navigate(product.server() + "/services/kelp-works-wire");
        page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Checks")).click();
        assertThat(page.getByText("All 7 checks passed.")).isVisible();
        page.navigate(product.server() + "/");
        assertThat(page.getByText("running orders.")).isVisible();
        page.context().close();
        assertThat(product.rilvan("", "service", "remove", "kelp-works-wire").code()).isZero();
    }

    /** Whatever the console and the command line ask for is in the service's own description of its interface. */
    @Test
    void bothFacesUseOnlyAddressesThatTheInterfaceHas() throws Exception {
        Set<String> described = product.get("/api/v1/openapi").getObject("paths").keySet();
        java.util.regex.Pattern console = java.util.regex.Pattern.compile("\\b(?:get|post|put)(?:<[^(\\n]*>)?\\(['`\"](/[^'`\"?$]*)");
        java.util.regex.Pattern commandLine = java.util.regex.Pattern.compile("\"(/api/v1/[^\"?]*)");
        List<String> asked = new ArrayList<>();
        for (Map.Entry<String, java.util.regex.Pattern> face : Map.of("console/src", console, "cli/src/main", commandLine).entrySet()) {
            try (Stream<Path> files = Files.walk(Product.ROOT.resolve(face.getKey()))) {
                for (Path file : files.filter(each -> each.toString().matches(".*(?<!\\.test)\\.(ts|vue|java)")).toList()) {
                    face.getValue().matcher(Files.readString(file)).results()
                            .map(found -> found.group(1).startsWith("/api/v1/") ? found.group(1) : "/api/v1" + found.group(1)).forEach(asked::add);
                }
            }
        }
        assertThat(asked).hasSizeGreaterThan(40);
        assertThat(asked).allSatisfy(address -> assertThat(described).anyMatch(path -> path.equals(address)
                || address.endsWith("/") && path.startsWith(address + "{")));
    }

    @Test
    void aPageWithoutSignInLeadsToTheSignIn() throws Exception {
        for (String path : List.of("/api/v1/devices", "/api/v1/orders", "/api/v1/services/x")) {
            HttpResponse<String> answer = java.net.http.HttpClient.newHttpClient().send(
                    java.net.http.HttpRequest.newBuilder(java.net.URI.create(product.server() + path)).build(), HttpResponse.BodyHandlers.ofString());
            assertThat(answer.statusCode()).as(path).isEqualTo(401);
        }
        Product.Result wrong = product.rilvan("not the password", "sign-in", "--user", "engineer", "--password-file", "-");
        assertThat(wrong.code()).isEqualTo(4);
        assertThat(product.get("/api/v1/openapi").getString("openapi")).startsWith("3.1");
    }

    @Test
    void anOrderWhoseChecksFailIsRolledBackAlsoAfterARestart() throws Exception {
        // No customer router listens on tag 140, so the checks cannot pass and go on until their timeout.
        String document = clinics.replace("tag: 110", "tag: 140");
        JsonObject placed = JsonParser.object().from(product.request("POST", "/api/v1/orders", document, YAML).body());
        String path = "/api/v1/orders/" + placed.getLong("order");
        product.await(path, "order", order -> order.getString("state").equals("PREPARED"));
        // Two more want the same devices: they wait in the order they came, also over the power cut.
        long second = product.place(clinics);
        long third = product.place(clinics.replace("tag: 110", "tag: 141"));
        JsonObject waiting = product.get("/api/v1/orders/" + third).getObject("order");
        assertThat(waiting.getString("state")).isEqualTo("WAITING");
        assertThat(waiting.getArray("waitsBehind").stream().map(each -> ((JsonObject) each).getLong("order")).toList())
                .containsExactly(placed.getLong("order"), second);
        assertThat(product.rilvan("", "order", "show", Long.toString(second)).output()).contains(
                "waiting for order " + placed.getLong("order") + " (haven-pe1, ternsay-pe1, tidewater-clinics)");
        product.killed();
        product.await(path, "order", order -> order.getString("state").equals("ROLLED_BACK"));
        assertThat(product.get(path).getObject("order").getString("failure")).isEqualTo("Rilvan was interrupted");
        product.await("/api/v1/orders/" + second, "order", order -> order.getString("state").equals("DONE"));
        // The third one changes the service into what does not work, which must not be taken for proven because it worked before.
        product.await("/api/v1/orders/" + third, "order", order -> order.getString("state").equals("ROLLED_BACK"));
        // What it says besides is how far a packet came.
        assertThat(product.rilvan("", "order", "show", Long.toString(third)).output()).containsPattern("0 of 3 answered.*\n    path: haven-ce1");
        assertThat(product.rilvan("", "service", "remove", "tidewater-clinics").code()).isZero();
    }

    /** The cold stores' tag is one that nobody answers on; the clinics, on the same devices, stand all the same. */
    @Test
    void anOrderThatIsAtomicByServiceGoesOnWithoutTheServiceThatFails() throws Exception {
        String stores = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/gannet-cold-stores.yaml"));
        String both = clinics + stores.substring(stores.indexOf("  - name: gannet-cold-stores")).replace("tag: 120", "tag: 121");
        Product.Result whole = product.rilvan(both, "order", "run", "-");
        assertThat(whole.code()).as(whole.output()).isEqualTo(1);
        assertThat(whole.output()).contains("rolled back: every device has the configuration that it had before the order");
        Product.Result each = product.rilvan("atomic: service\n" + both, "order", "run", "-");
        assertThat(each.code()).as(each.output()).isEqualTo(1);
        assertThat(each.output()).contains("left out gannet-cold-stores: gannet-cold-stores does not work", "done: all devices hold what was ordered, except for the services that were left out");
        assertThat(product.rilvan("", "order", "show", Long.toString(lastOrder())).output()).contains("add tidewater-clinics, without gannet-cold-stores");
        assertThat(product.running("haven-pe1")).contains("tidewater-clinics").doesNotContain("gannet-cold-stores");
        // What a device complains of is told apart by whose it is: here the stores' table, though both services are on that device.
        String sound = "atomic: service\n" + clinics + stores.substring(stores.indexOf("  - name: gannet-cold-stores"));
        assertThat(product.rilvan("", "service", "remove", "tidewater-clinics").code()).isZero();
        assertThat(product.rilvan("", "lab", "refuse", "ternsay-pe1", "validate", "--message", "no room for this table",
                "--path", "/vpn:vpn/vpn:vrf[vpn:name='VPN-1002']").code()).isZero();
        Product.Result blamed = product.rilvan(sound, "order", "run", "-");
        assertThat(blamed.output()).contains("left out gannet-cold-stores: ternsay-pe1 refused the edit and validate: no room for this table",
                "the node belongs to gannet-cold-stores (vrf, l3vpn " + Product.version("l3vpn") + " expand/");
        assertThat(blamed.code()).as(blamed.output()).isEqualTo(1);
        assertThat(product.get("/api/v1/services/tidewater-clinics").isNull("service")).isFalse();
        // Its numbers are free again.
        assertThat(product.rilvan(stores, "order", "preview", "-").output()).contains("VPN-1002");
        assertThat(product.rilvan("", "service", "remove", "tidewater-clinics").code()).isZero();
    }

    /** Somebody's own text switches off the port that a VPN's customer is on: the order's own part succeeds, and still it must not stand. */
    @Test
    void anOrderThatBreaksAnotherServiceIsRolledBack() throws Exception {
        assertThat(product.rilvan(clinics, "order", "run", "-").code()).isZero();
        String before = product.running("haven-pe1");
        Product.Result harmful = switchedOffAtHaven("access-1");
        assertThat(harmful.code()).as(harmful.output()).isEqualTo(1);
        assertThat(harmful.output()).contains("baseline", "8 checks of 1 other service on these devices",
                "breaks tidewater-clinics, which this order does not change: passed before, fails now: from haven-ce1", "; and 1 more",
                "breaks links that were up before: from haven-ce1 to haven-pe1: haven-ce1 uplink is down, haven-pe1 access-1 is down", "rolled back: every device has the configuration that it had before the order");
        assertThat(product.running("haven-pe1")).isEqualTo(before);
        Product.Result removed = product.rilvan("", "service", "remove", "tidewater-clinics");
        assertThat(removed.code()).as(removed.output()).isZero();
    }

    private static Product.Result switchedOffAtHaven(String port) throws Exception {
        return product.rilvan("""
                services:
                  - name: maintenance-at-haven
                    tenant: Skerra Telecom
                    model: device-text
                    parameters:
                      texts:
                        - family: quern
                          text: <ports xmlns="urn:quern:ports"><port><name>%s</name><enabled>false</enabled></port></ports>
                      targets: [{ device: haven-pe1 }]
                """.formatted(port), "order", "run", "-");
    }

    /** Nothing stands there yet, and nothing is asked for that could be seen: still a cable that goes dead is noticed. */
    @Test
    void anOrderThatBreaksALinkIsRolledBack() throws Exception {
        Product.Result harmful = switchedOffAtHaven("core-2");
        assertThat(harmful.code()).as(harmful.output()).isEqualTo(1);
        assertThat(harmful.output()).contains("breaks links that were up before: from skarn-pe1 to haven-pe1: skarn-pe1 core-2 is down, haven-pe1 core-2 is down",
                "rolled back: every device has the configuration that it had before the order");
    }

    /** Devices of each family say yes to what they do not do: what they hold is read, and the order is rolled back. */
    @ParameterizedTest
    @CsvSource({"ternsay-pe1, commit, 0", "olvar-pe1, edit, 1", "skarn-pe1, edit, 1"})
    void anOkThatWasNotMeantIsFoundOut(String device, String step, int islands) throws Exception {
        String document = islands == 0 ? clinics : Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-four-islands.yaml"));
        assertThat(product.rilvan("", "lab", "pretend", device, step).code()).isZero();
        Product.Result run = product.rilvan(document, "order", "run", "-");
        assertThat(run.code()).as(run.output()).isEqualTo(1);
        assertThat(run.output()).contains(device, "rolled back: every device has the configuration that it had before the order");
        assertThat(product.rilvan("", "lab", "clear", device).code()).isZero();
    }

    private static long lastOrder() throws Exception {
        return JsonParser.array().from(product.request("GET", "/api/v1/orders?limit=1", "", YAML).body()).getObject(0).getLong("id");
    }

    /** The order that is ahead cannot end while a device that it changes is lost. */
    @Test
    void aWaitingOrderIsCancelledAndTouchesNothing() throws Exception {
        assertThat(product.rilvan("", "lab", "lose", "haven-pe1", "commit", "--seconds", "3600").code()).isZero();
        long first = product.place(clinics.replace("tag: 110", "tag: 140"));
        long second = product.place(clinics);
        Page page = signedIn();
        page.navigate(product.server() + "/orders/" + second);
        assertThat(page.getByText("order " + first).first()).isVisible();
        page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Cancel")).click();
        assertThat(page.getByText("cancelled by engineer before it began")).isVisible();
        page.context().close();
        assertThat(product.rilvan("", "lab", "clear", "haven-pe1").code()).isZero();
        product.await("/api/v1/orders/" + first, "order", order -> order.getString("state").equals("ROLLED_BACK"));
    }

    @Test
    void aCancelledOrderIsRolledBack() throws Exception {
        JsonObject placed = JsonParser.object().from(product.request("POST", "/api/v1/orders", clinics.replace("tag: 110", "tag: 140"), YAML).body());
        String path = "/api/v1/orders/" + placed.getLong("order");
        product.await(path, "order", order -> order.getString("state").equals("PREPARED"));
        // By the interface: on a busy machine the checks may have failed by the time a command has started.
        assertThat(product.request("POST", path + "/cancellation", "", YAML).statusCode()).isEqualTo(202);
        Product.Result followed = product.rilvan("", "order", "follow", Long.toString(placed.getLong("order")));
        assertThat(followed.code()).isEqualTo(1);
        assertThat(followed.output()).contains("cancelled by engineer", "every device has the configuration that it had before the order");
    }
}
