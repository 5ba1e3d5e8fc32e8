package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import rilvan.e2e.Product.Result;

/** Tenants as records, and people whose roles hold for some of them: what they are told of others, which is nothing. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class TenantsTest {

    private static final String SENTENCE = "the ferry leaves at seven";
    private static final String JSON = "application/json";
    private static final String YAML = "application/yaml";
    private static final String GANNET = Product.example("l3vpn/examples/gannet-cold-stores");
    private static final String CLINICS = Product.example("l3vpn/examples/tidewater-clinics");
    private static final String LIGHTS = Product.example("l3vpn/examples/harbour-lights");
    /** What nobody may be told who is limited to the Harbour Lights Office: names, and what other tenants have on devices. */
    private static final List<String> OTHERS = List.of("tidewater-clinics", "Tidewater", "Northsound", "kelp-works-wire", "Kelp", "VPN-1002", "198.51.100");

    private static Product product;
    private final HttpClient http = HttpClient.newHttpClient();

    @BeforeAll
    static void start() throws Exception {
        product = new Product("tenants", Product.ROOT.resolve("models"), Map.of());
        product.done(GANNET);
        product.done(CLINICS);
        product.done(LIGHTS);
        product.done(Product.example("l2vpn/examples/kelp-works-wire"));
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    private HttpResponse<String> asked(String token, String method, String path, String body) throws Exception {
        return http.send(HttpRequest.newBuilder(URI.create(product.server() + path.replace(" ", "%20"))).header("Content-Type", body.startsWith("{") ? JSON : YAML).header("Authorization", "Bearer " + token)
                .method(method, HttpRequest.BodyPublishers.ofString(body)).build(), HttpResponse.BodyHandlers.ofString());
    }

    private static String rilvan(String... words) throws Exception {
        Result result = product.rilvan(SENTENCE, words);
        assertThat(result.code()).as(result.output()).isZero();
        return result.output();
    }

    /** Adds somebody with roles, and signs them in. */
    private String somebody(String name, String roles, String... scope) throws Exception {
        String[] words = new String[scope.length + 7];
        System.arraycopy(new String[] {"people", "add", name, "--roles", roles, "--password-file", "-"}, 0, words, 0, 7);
        System.arraycopy(scope, 0, words, 7, scope.length);
        rilvan(words);
        HttpResponse<String> answer = asked("", "POST", "/api/v1/tokens", JsonWriter.string().object().value("user", name).value("password", SENTENCE).end().done());
        return JsonParser.object().from(answer.body()).getString("token");
    }

    @Test
    void aServiceIsForATenantThatThereIs() throws Exception {
        Result refused = product.rilvan(CLINICS.replace("Tidewater Clinics\n", "Tidewater Clinic\n"), "order", "preview", "-");
        assertThat(refused.output()).contains("/services/0/tenant", "there is no tenant named 'Tidewater Clinic'; the nearest is Tidewater Clinics");
        refused = product.rilvan(GANNET.replace("[Harbour Lights Office]", "[Harbour Light Office]"), "order", "preview", "-");
        assertThat(refused.output()).contains("/services/0/parameters/offered_to/0", "there is no tenant named 'Harbour Light Office'; the nearest is Harbour Lights Office");
        assertThat(product.rilvan("", "tenant", "remove", "Tidewater Clinics").output()).contains("tidewater-clinics is for Tidewater Clinics, or refer to it; remove or change");
        assertThat(product.rilvan("", "tenant", "add", "Kelp & Co.").output()).contains("Kelp & Co. is there already");
    }

    @Test
    void anAttachmentPointIsForItsTenants() throws Exception {
        rilvan("tenant", "change", "Northsound Ferries", "--attach", "haven-pe1/access-5");
        String there = CLINICS.replace("port: access-1", "port: access-5");
        assertThat(product.rilvan(there, "order", "preview", "-").output()).contains("the port access-5 of haven-pe1 is an attachment point of Northsound Ferries and not of Tidewater Clinics");
        rilvan("tenant", "change", "Tidewater Clinics", "--attach", "haven-pe1/access-5");
        assertThat(product.rilvan(there, "order", "preview", "-").output()).doesNotContain("attachment point");
        HttpResponse<String> stale = http.send(HttpRequest.newBuilder(URI.create(product.server() + "/api/v1/tenants/Northsound%20Ferries")).header("Content-Type", JSON).header("If-Match", "\"1\"")
                .header("Authorization", "Bearer " + product.token()).PUT(HttpRequest.BodyPublishers.ofString("{}")).build(), HttpResponse.BodyHandlers.ofString());
        assertThat(stale.statusCode()).as(stale.body()).isEqualTo(412);
        assertThat(rilvan("tenant", "show", "Northsound Ferries")).contains("haven-pe1/access-5", "operations");
        rilvan("tenant", "change", "Northsound Ferries", "--detach", "haven-pe1/access-5");
        rilvan("tenant", "change", "Tidewater Clinics", "--detach", "haven-pe1/access-5");
        assertThat(product.rilvan("tenants: [{ name: Northsound  Ferries, contact: x }, { name: Ferries, attachments: [{ device: haven-pe9, port: x }] }]", "tenant", "load", "-").output())
                .contains("/tenants/0/name", "two blanks", "/tenants/1/attachments/0", "there is no device named 'haven-pe9'; the nearest is haven-pe");
        assertThat(product.rilvan("", "tenant", "show", "Ferries").code()).isEqualTo(3);
    }

    /** Every answer that somebody who is limited can get, to any request that reads: nothing of others is in it. */
    @Test
    void whoIsLimitedIsToldNothingOfOthers() throws Exception {
        String anna = somebody("anna", "look,prepare,run", "--tenant", "Harbour Lights Office");
        long orders = product.get("/api/v1/orders/3").getObject("order").getLong("id");
        assertThat(orders).isEqualTo(3);
        for (String path : List.of("/services", "/services/harbour-lights", "/orders", "/orders/3", "/devices", "/devices/haven-pe1", "/devices/haven-pe1/configuration", "/devices/haven-pe1/configuration?live=true",
                "/devices/haven-pe1/settings", "/drift", "/failing-services", "/tenants", "/tenants/Harbour Lights Office", "/network", "/models/l3vpn/page", "/library", "/me", "/orders/3/events",
                "/devices/haven-pe1/explanation?of=/vpn/vrf%5BVPN-1003%5D", "/devices/haven-pe1/explanation?of=/vpn/vrf%5BVPN-1001%5D")) {
            HttpResponse<String> answer = asked(anna, "GET", "/api/v1" + path, "");
            assertThat(answer.statusCode()).as(path + answer.body()).isEqualTo(200);
            assertThat(answer.body()).as(path).doesNotContain(OTHERS);
        }
        assertThat(asked(anna, "GET", "/api/v1/devices/haven-pe1/explanation?of=/vpn/vrf%5BVPN-1001%5D", "").body()).contains("another tenant").doesNotContain("gannet");
        assertThat(JsonParser.array().from(asked(anna, "GET", "/api/v1/services", "").body())).hasSize(1);
        assertThat(asked(anna, "POST", "/api/v1/services/harbour-lights/checks", "{}").body()).doesNotContain(OTHERS).contains("\"passed\":true");
        assertThat(asked(anna, "POST", "/api/v1/network/checks", "{}").body()).contains("haven-pe1").doesNotContain(OTHERS);

        // What is not theirs and what is not there cannot be told apart.
        Map<String, String> told = new TreeMap<>();
        for (String name : List.of("tidewater-clinics", "no-such-thing")) {
            for (String request : List.of("GET /services/%s", "POST /services/%s/checks", "POST /previews {remove: [%s]}", "POST /orders {refresh: [%s]}", "POST /previews {move: [{service: %s, version: 2}]}",
                    "POST /previews " + LIGHTS.replace("gannet-cold-stores", "%s"), "POST /previews " + LIGHTS.replace("  - name: harbour-lights", "  - name: harbour-new\n    renamed_from: %s"))) {
                String[] words = request.formatted(name).split(" ", 3);
                HttpResponse<String> answer = asked(anna, words[0], "/api/v1" + words[1], words.length > 2 ? words[2] : "");
                String said = answer.statusCode() + " " + answer.body().replace(name, "X");
                assertThat(said).startsWith("4");
                assertThat(told.putIfAbsent(request, said)).as(request).isIn(null, said);
            }
        }
        for (String path : List.of("/orders/%s", "/tenants/%s")) {
            assertThat(asked(anna, "GET", "/api/v1" + path.formatted(path.contains("orders") ? "1" : "Tidewater Clinics"), "").statusCode()).isEqualTo(404);
        }
        String forOthers = asked(anna, "POST", "/api/v1/previews", LIGHTS.replace("tenant: Harbour Lights Office", "tenant: Tidewater Clinics")).body();
        assertThat(forOthers).isEqualTo(asked(anna, "POST", "/api/v1/previews", LIGHTS.replace("tenant: Harbour Lights Office", "tenant: Tidewater Clinic")).body().replace("Tidewater Clinic'", "Tidewater Clinics'"));

        // What others have is in the way, without their name, and a reason that says a name does not bring it out.
        String taken = asked(anna, "POST", "/api/v1/previews", LIGHTS.replace("port: access-4", "port: access-1").replace("tag: 310", "tag: 110").replaceFirst("reason: .*", "reason: is it tidewater-clinics")).body();
        assertThat(taken).contains("110 on haven-pe1 access-1 is already in use by another tenant").doesNotContain(OTHERS);
        rilvan("people", "remove", "anna");
    }

    /** What somebody may see and what they may do are two things, and each holds for tenants and for sites. */
    @Test
    void whoIsLimitedDoesNothingElsewhere() throws Exception {
        String bert = somebody("bert", "look", "--tenant", "Tidewater Clinics", "--tenant", "Harbour Lights Office");
        assertThat(asked(bert, "POST", "/api/v1/previews", CLINICS).body()).contains("this needs the role prepare; bert has look");
        rilvan("people", "grant", "bert", "run", "--tenant", "Tidewater Clinics", "--site", "Haven");
        assertThat(rilvan("people", "list")).contains("look for Harbour Lights Office and Tidewater Clinics, run for Tidewater Clinics at Haven");
        assertThat(asked(bert, "POST", "/api/v1/previews", CLINICS).body()).contains("tidewater-clinics is for Tidewater Clinics, at Haven, Ternsay; bert has the role prepare for Tidewater Clinics at Haven");
        HttpResponse<String> lights = asked(bert, "POST", "/api/v1/orders", LIGHTS);
        assertThat(lights.body()).contains("/services/0/tenant", "bert has the role run for Tidewater Clinics at Haven");
        HttpResponse<String> removal = asked(bert, "POST", "/api/v1/orders", "{remove: [harbour-lights]}");
        assertThat(removal.statusCode()).isEqualTo(403);
        assertThat(removal.body()).contains("harbour-lights is for Harbour Lights Office; bert has the role run for Tidewater Clinics at Haven");
        String one = "services: [{name: clinic-one, tenant: Tidewater Clinics, model: l3vpn, parameters: {sites: [{name: a, device: haven-pe1, port: access-5, tag: 991, address: 192.0.2.60/31, customer: 192.0.2.61}]}}]";
        HttpResponse<String> placed = asked(bert, "POST", "/api/v1/orders", one);
        assertThat(placed.statusCode()).as(placed.body()).isEqualTo(202);
        product.rilvan("", "order", "follow", Long.toString(JsonParser.object().from(placed.body()).getLong("order")));
        long others = product.place(LIGHTS.replace("tag: 310", "tag: 311"));
        assertThat(asked(bert, "POST", "/api/v1/orders/" + others + "/cancellation", "{}").statusCode()).isEqualTo(403);
        product.rilvan("", "order", "follow", Long.toString(others));
        assertThat(asked(bert, "PUT", "/api/v1/network", "{}").body()).contains("this needs the role administer");
        assertThat(asked(bert, "POST", "/api/v1/devices/haven-pe1/readings", "{}").body()).contains("this needs the role run for all tenants and sites; bert has it for Tidewater Clinics at Haven");
        rilvan("people", "withdraw", "bert", "run");
        assertThat(asked(bert, "POST", "/api/v1/orders", "{remove: [clinic-one]}").body()).contains("this needs the role run; bert has look");
        assertThat(product.rilvan("", "people", "grant", "bert", "administer", "--site", "Haven").output()).contains("the role administer holds for all tenants and sites only");
        product.done("{remove: [clinic-one]}");
        rilvan("people", "remove", "bert");
    }

    /** What is found otherwise on a device is shown to, and decided by, those whose services it concerns. */
    @Test
    void driftIsItsOwnersBusiness() throws Exception {
        String clara = somebody("clara", "look,run", "--tenant", "Gannet Cold Stores");
        product.rilvan("<vpn xmlns=\"urn:quern:vpn\"><vrf><name>VPN-1002</name><description>typed</description></vrf></vpn>", "lab", "type", "haven-pe1", "-");
        product.rilvan("", "device", "read", "haven-pe1");
        JsonArray drift = JsonParser.array().from(product.request("GET", "/api/v1/drift", "", JSON).body());
        assertThat(drift).hasSize(1);
        String path = drift.getObject(0).getString("path");
        assertThat(asked(clara, "GET", "/api/v1/drift", "").body()).isEqualTo("[]");
        assertThat(asked(clara, "GET", "/api/v1/devices", "").body()).contains("\"drifted\":0").doesNotContain("\"drifted\":1");
        String decision = JsonWriter.string().object().value("path", path).value("reason", "-").end().done();
        assertThat(asked(clara, "POST", "/api/v1/devices/haven-pe1/drift-decisions", decision).statusCode()).isEqualTo(404);
        assertThat(asked(clara, "POST", "/api/v1/previews", GANNET).body()).doesNotContain("VPN-1002", "typed");
        HttpResponse<String> decided = asked(clara, "POST", "/api/v1/orders", GANNET + "decisions: [{device: haven-pe1, path: \"" + path + "\", decision: leave}]\n");
        assertThat(decided.statusCode()).as(decided.body()).isEqualTo(403);
        assertThat(decided.body()).contains("a node of haven-pe1 that this order decides about is for others");
        product.rilvan("", "device", "restore", "haven-pe1");
        rilvan("people", "remove", "clara");
    }

    /** A renaming is previewed, touches no device, follows into roles, references and orders, and is refused where it cannot be whole. */
    @Test
    void aTenantIsRenamed() throws Exception {
        rilvan("tenant", "add", "Lifeboats");
        String service = "services: [{name: lifeboat-line, tenant: Lifeboats, model: l3vpn, parameters: {offered_to: [Northsound Ferries], sites: [{name: a, device: skarn-pe1, port: access-4, tag: 77, address: 192.0.2.70/31, customer: 192.0.2.71}]}}]";
        product.done(service);
        String dora = somebody("dora", "look", "--tenant", "Lifeboats");
        String before = product.running("skarn-pe1");
        assertThat(rilvan("tenant", "rename", "Lifeboats", "Sea Rescue", "--preview")).contains("change lifeboat-line", "Lifeboats: lifeboat-line", "Sea Rescue: lifeboat-line");
        assertThat(rilvan("tenant", "rename", "Lifeboats", "Sea Rescue")).contains("rilvan service refresh lifeboat-line");
        assertThat(product.running("skarn-pe1")).isEqualTo(before);
        JsonObject shown = JsonParser.object().from(asked(dora, "GET", "/api/v1/services/lifeboat-line", "").body());
        assertThat(shown.getObject("service").getString("tenant")).isEqualTo("Sea Rescue");
        assertThat(shown.getArray("history")).hasSize(1);
        assertThat(shown.getObject("outOfDate").getArray("devices")).containsExactly("skarn-pe1");
        assertThat(product.rilvan(service, "order", "preview", "-").output()).contains("there is no tenant named 'Lifeboats' any more; it is named Sea Rescue now");
        assertThat(rilvan("service", "refresh", "lifeboat-line")).contains("done");
        rilvan("tenant", "rename", "Northsound Ferries", "Northsound Lines");
        assertThat(rilvan("service", "show", "lifeboat-line")).contains("offered_to  Northsound Lines");
        rilvan("tenant", "rename", "Northsound Lines", "Northsound Ferries");
        assertThat(product.rilvan("", "tenant", "rename", "Sea Rescue", "Kelp & Co.").output()).contains("there is a tenant named Kelp & Co. already");
        product.rilvan("", "lab", "slow", "skarn-pe1", "commit", "--seconds", "9");
        long removal = product.place("{remove: [lifeboat-line]}");
        assertThat(product.request("POST", "/api/v1/tenants/Sea%20Rescue/renaming", "{\"to\": \"Rescue\"}", JSON).body()).contains("order " + removal + " is under way for Sea Rescue; wait for its end");
        product.rilvan("", "order", "follow", Long.toString(removal));
        assertThat(rilvan("tenant", "remove", "Sea Rescue")).contains("is removed");
        // Their roles hold for one tenant less, which is none: never for all.
        assertThat(asked(dora, "GET", "/api/v1/services", "").body()).isEqualTo("[]");
        assertThat(asked(dora, "GET", "/api/v1/orders", "").body()).isEqualTo("[]");
        rilvan("people", "remove", "dora");
    }
}
