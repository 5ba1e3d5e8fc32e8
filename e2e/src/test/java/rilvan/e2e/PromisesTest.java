package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** What holds across services, and whatever devices say or do: from outside, on the running product. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class PromisesTest {

    private static final String YAML = "application/yaml";
    private static final String CLINICS = "remove: [tidewater-clinics]";

    private static Product product;
    private static Map<String, String> before;

    @BeforeAll
    static void start() throws Exception {
        product = new Product("promises", Product.ROOT.resolve("models"), Map.of("RILVAN_DEVICE_TIMEOUT", "3s"));
        before = product.held();
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    /** A test that fails leaves no device lost to the next. */
    @AfterEach
    void clear() throws Exception {
        product.rilvan("", "lab", "clear", "haven-pe1");
    }

    private static String example(String name) throws Exception {
        return Files.readString(Product.ROOT.resolve("models/services/" + name + ".yaml"));
    }

    private static String refused(String document) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/orders", document, YAML);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(422);
        return answer.body();
    }

    private static String swapped(String text, String one, String other) {
        return text.replace(one, "\u0000").replace(other, one).replace("\u0000", other);
    }

    /** What is checked follows what the change leaves: a segment without ports has no gateway and no route. */
    @Test
    void theLastPortOfARoutedSegmentLeaves() throws Exception {
        String records = example("tenant/examples/tidewater-records");
        product.done(records);
        product.done(records.replaceFirst(".*desks-5.*\n", ""));
        product.done(records);
        product.done("remove: [tidewater-records]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** A service that contains others: one order, one proof, one fate, and whatever a device complains of is led to the field of the order. */
    @Test
    void aServiceAndWhatItContainsStandAndFallTogether() throws Exception {
        String offices = example("offices/examples/council-offices");
        String clinics = example("l3vpn/examples/tidewater-clinics");
        String route = "/v:vpn/v:vrf[v:name='%s']/v:route[v:to='198.51.100.192/28']";
        assertThat(product.rilvan("", "lab", "refuse", "haven-pe1", "validate", "--message", "no such route", "--path", route.formatted("VPN-1001")).code()).isZero();
        JsonObject refused = product.placed(offices).getObject("order");
        assertThat(refused.getString("state")).isEqualTo("ROLLED_BACK");
        JsonObject owner = refused.getArray("faults").getObject(0).getArray("owners").getObject(0);
        assertThat(owner.getString("service") + " " + owner.getString("pointer")).isEqualTo("council-offices-data /services/0/parameters/offices/0/routes/0");
        assertThat(product.rilvan("", "lab", "refuse", "haven-pe1", "validate", "--message", "no such route", "--path", route.formatted("VPN-1002")).code()).isZero();
        JsonObject without = product.placed("atomic: service\n" + offices + clinics.substring(clinics.indexOf("  - name:"))).getObject("order");
        assertThat(without.getString("state")).as(without.getString("failure")).isEqualTo("DONE");
        assertThat(without.getArray("services").stream().map(JsonObject.class::cast).filter(each -> !each.getString("leftOut").isEmpty()).map(each -> each.getString("service")))
                .containsExactlyInAnyOrder("council-offices", "council-offices-data", "council-offices-phones");
        product.done(offices);
        assertThat(product.rilvan("", "service", "show", "council-offices").output()).contains("contains\n  council-offices-data\n  council-offices-phones");
        Product.Result checked = product.rilvan("", "service", "check", "council-offices");
        assertThat(checked.code()).as(checked.output()).isZero();
        assertThat(refused("remove: [council-offices-phones]")).contains("council-offices-phones is a component of council-offices and goes with it; change council-offices");
        HttpResponse<String> kept = product.request("POST", "/api/v1/releases/model/l3vpn/" + Product.version("l3vpn") + "/retirement", "", "application/json");
        assertThat(kept.statusCode() + kept.body()).startsWith("409").contains("services stand on");
        // Somebody takes the telephones' pseudowire away: a look at the whole finds it.
        String wire = "<switching xmlns='urn:quern:switching'><bridge><name>council-offices-phones</name><pseudowire%s><peer>203.0.113.2</peer><id>" + product.number("council-offices-phones", "id")
                + "</id></pseudowire></bridge></switching>";
        product.typed("haven-pe1", wire.formatted(" xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0' nc:operation='delete'"));
        Product.Result broken = product.rilvan("", "service", "check", "council-offices");
        assertThat(broken.code()).as(broken.output()).isEqualTo(1);
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.rilvan("", "service", "show", "council-offices").output()).contains("/switching/bridge[council-offices-phones]/pseudowire", "for council-offices-phones");
        assertThat(product.rilvan("", "device", "restore", "haven-pe1", "--reason", "as ordered").output()).contains("done: all devices hold what was ordered");
        assertThat(product.rilvan("", "service", "check", "council-offices").code()).isZero();
        product.done("remove: [council-offices, tidewater-clinics]");
        assertThat(product.held()).isEqualTo(before);
    }

    @Test
    void processesMayDoNoMoreThanTheyNeed() throws Exception {
        product.script("processes_are_unprivileged");
    }

    /**
     * Devices have the secret itself, as an engineer would type it, and show it in their own way; the store, the log and all faces have none of it.
     * A secret that is shown as a salted hash is no drift, also after a restart, and another one is.
     */
    @Test
    void aSecretReachesDevicesAndNothingElse() throws Exception {
        String secret = "light & <dark>";
        String document = example("l3vpn/examples/northsound-ferries").replace("bgp: { as: 64802, ", "bgp: { as: 64802, secret: 'light & <dark>', ");
        product.typed("skarn-ce2", "<peer-row xmlns='urn:tarn:config'><context>own</context><peer>192.0.2.136</peer><digest>light &amp; &lt;dark&gt;</digest></peer-row>");
        assertThat(product.rilvan("", "device", "read", "skarn-ce2").code()).isZero();
        assertThat(product.rilvan("", "device", "wire-trace", "skarn-pe1", "on").code()).isZero();
        assertThat(refused(document.replace("reason: Northsound Ferries bring", "reason: They are to say " + secret + " and bring"))).contains("/reason", "contains a secret of this order");
        assertThat(refused(document.replace("'light & <dark>'", "$5$light"))).contains("/services/0/parameters/sites/4/bgp/secret", "must not begin with $");
        product.done(document);
        assertThat(product.running("haven-pe1")).contains("<authentication>sail at dawn</authentication>");
        assertThat(product.running("skarn-pe1")).contains("digest $5$").doesNotContain("light &");
        JsonObject again = preview(document);
        assertThat(again.getBoolean("changesNothing")).as(again.toString()).isTrue();
        product.killed();
        assertThat(product.rilvan("", "device", "read", "--all").code()).isZero();
        assertThat(product.rilvan("", "device", "drift").output()).startsWith("no drift: ");
        assertThat(product.rilvan("", "device", "configuration", "skarn-pe1").output()).contains("digest (secret)");
        // Another one at both ends: the session comes up again with it.
        String other = document.replace("light & <dark>", "light and dark");
        product.typed("skarn-ce2", "<peer-row xmlns='urn:tarn:config'><context>own</context><peer>192.0.2.136</peer><digest>light and dark</digest></peer-row>");
        product.done(other);
        // As it is shown it means what is kept; entered on the device, another one is drift.
        String shown = JsonWriter.string(product.get("/api/v1/services/northsound-tickets").getObject("service").getObject("parameters"));
        assertThat(shown).contains("(secret)");
        assertThat(preview("{services: [{name: northsound-tickets, tenant: Northsound Ferries, model: l3vpn, parameters: " + shown + "}]}").getBoolean("changesNothing")).isTrue();
        String routes = product.running("skarn-pe1").lines().filter(line -> line.startsWith("routes VPN")).findFirst().orElseThrow();
        product.typed("skarn-pe1", routes + "\n peer 192.0.2.137\n  digest somebody else");
        assertThat(product.rilvan("", "device", "read", "skarn-pe1").code()).isZero();
        assertThat(product.rilvan("", "device", "drift").output()).contains("/digest is '(secret)'; ordered: '(secret)'");
        assertThat(product.rilvan("", "device", "restore", "skarn-pe1", "--reason", "back to what was agreed").code()).isZero();
        assertThat(product.rilvan("", "device", "drift").code()).isZero();
        for (String each : List.of("sail at dawn", "light & <dark>", "light &amp; &lt;dark", "light and dark", "somebody else")) {
            product.script("nothing_stored_contains " + each);
        }
        product.done("remove: [northsound-tickets]");
        product.typed("skarn-ce2", "<peer-row xmlns='urn:tarn:config' xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0'><context>own</context><peer>192.0.2.136</peer><digest nc:operation='delete'/></peer-row>");
        assertThat(product.rilvan("", "device", "read", "skarn-ce2").code()).isZero();
        assertThat(product.held()).isEqualTo(before);
    }

    private static String vpn(String name, int tag, String one, String other) {
        String site = "{name: %s, device: %s, tag: " + tag + ", address: %s, customer: %s}";
        return "services: [{name: " + name + ", tenant: Skerry Council, model: l3vpn, parameters: {sites: ["
                + site.formatted("a", one, "192.0.2.0/31", "192.0.2.1") + ", " + site.formatted("b", other, "192.0.2.2/31", "192.0.2.3") + "]}}]\n";
    }

    private static void until(long order, String state) throws Exception {
        product.await("/api/v1/orders/" + order, "order", each -> each.getString("state").equals(state));
    }

    /** From when an order comes into the line its numbers are its own: it does what its preview showed, whatever others have taken meanwhile. */
    @Test
    void anOrderInLineKeepsItsNumbers() throws Exception {
        // It holds its devices until the one that is lost is back.
        assertThat(product.rilvan("", "lab", "lose", "haven-pe1", "commit", "--seconds", "600").code()).isZero();
        long ahead = product.place(example("l3vpn/examples/tidewater-clinics"));
        until(ahead, "ROLLING_BACK");
        String council = vpn("council", 700, "haven-pe1, port: access-5", "ternsay-pe1, port: access-4");
        JsonObject shown = preview(council).getObject("devices");
        long inLine = product.place(council);
        until(inLine, "WAITING");
        product.done(vpn("stranger", 700, "olvar-pe1, port: access-4", "skarn-pe1, port: access-4"));
        String second = vpn("second", 701, "haven-pe1, port: access-5", "ternsay-pe1, port: access-4");
        JsonObject next = preview(second).getObject("devices");
        long withdrawn = product.place(second);
        until(withdrawn, "WAITING");
        assertThat(preview(second).getObject("devices")).isEqualTo(next);
        assertThat(preview(second.replace("second", "third").replace("tag: 701", "tag: 702")).getBoolean("changesNothing")).isFalse();
        assertThat(product.rilvan("", "order", "cancel", Long.toString(withdrawn)).code()).isZero();
        until(withdrawn, "ROLLED_BACK");
        assertThat(preview(second).getObject("devices")).isEqualTo(next);
        assertThat(product.rilvan("", "lab", "clear", "haven-pe1").code()).isZero();
        until(inLine, "DONE");
        assertThat(product.get("/api/v1/orders/" + inLine).getObject("devices")).isEqualTo(shown);
        product.done("remove: [council, stranger]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** A customer whose router does not have the link yet fails no order; once it has, the checks count. */
    @Test
    void aLinkThatTheCustomerDoesNotHaveYetIsNotTestableYet() throws Exception {
        String site = "{name: %s, device: %s, port: access-1, tag: 150, address: %s, customer: %s}";
        product.done("services: [{name: early, tenant: Skerry Council, model: l3vpn, parameters: {sites: [" + site.formatted("a", "haven-pe1", "192.0.2.160/31", "192.0.2.161") + ", "
                + site.formatted("b", "ternsay-pe1", "192.0.2.162/31", "192.0.2.163") + "]}}]\n");
        Product.Result check = product.rilvan("", "service", "check", "early");
        assertThat(check.code()).as(check.output()).isZero();
        assertThat(check.output()).contains("not testable yet", "does not have 192.0.2.161 yet", "does not have 192.0.2.163 yet");
        product.done("remove: [early]");
        assertThat(product.held()).isEqualTo(before);
    }

    @Test
    void whatIsReferredToStays() throws Exception {
        String exporter = example("l3vpn/examples/gannet-cold-stores");
        String importer = example("l3vpn/examples/harbour-lights");
        product.done(importer + exporter.substring(exporter.indexOf("services:\n") + "services:\n".length()));
        assertThat(refused("remove: [gannet-cold-stores]")).contains("harbour-lights refers to gannet-cold-stores", "\"together\":[\"harbour-lights\"]");
        assertThat(refused(exporter.replace("offered_to: [Harbour Lights Office]", "offered_to: []")))
                .contains("harbour-lights, which refers to gannet-cold-stores, would be refused");
        assertThat(refused(exporter.replace("customer: 192.0.2.9", "customer: 192.0.2.9\n          routes: [203.0.113.240/29]"))).contains("overlaps own 203.0.113.240/28");
        product.done(exporter.replace("name: gannet-cold-stores", "name: gannet-freezers\n    renamed_from: gannet-cold-stores")
                + importer.replace("service: gannet-cold-stores", "service: gannet-freezers").substring(importer.indexOf("services:\n") + "services:\n".length()));
        JsonArray history = product.get("/api/v1/services/gannet-freezers").getArray("history");
        assertThat(history).hasSize(2);
        product.done("remove: [gannet-freezers, harbour-lights]");
        assertThat(product.held()).isEqualTo(before);
    }

    private static boolean answers(String from, String to) throws Exception {
        return product.rilvan("", "lab", "ping", from, to).code() == 0;
    }

    /** Who imports a VPN exchanges packets with it and with no other importer; both may import each other; or routes come in alone. */
    @Test
    void anExtranetCarriesPacketsBothWays() throws Exception {
        String exporter = example("l3vpn/examples/gannet-cold-stores").replace("[Harbour Lights Office]", "[Harbour Lights Office, Kelp & Co.]")
                .replace("customer: 192.0.2.9", "customer: 192.0.2.9\n          routes: [198.51.100.16/28]").replace("customer: 192.0.2.11", "customer: 192.0.2.11\n          routes: [198.51.100.32/28]");
        String office = example("l3vpn/examples/harbour-lights");
        String kelp = "services:\n  - name: kelp-freezers\n    tenant: Kelp & Co.\n    model: l3vpn\n    parameters:\n      imports: [{ service: gannet-cold-stores }]\n"
                + "      sites:\n        - { name: skarn, device: skarn-pe1, port: access-1, tag: 110, address: 192.0.2.6/31, customer: 192.0.2.7, routes: [198.51.100.192/26] }\n";
        product.done(exporter);
        product.done(office);
        assertThat(answers("haven-ce4", "192.0.2.11")).isTrue();
        assertThat(answers("ternsay-ce2", "192.0.2.17")).isTrue();
        assertThat(refused(kelp.replace("192.0.2.6/31, customer: 192.0.2.7", "192.0.2.18/29, customer: 192.0.2.19")))
                .contains("both VPNs exchange routes with gannet-cold-stores, which could not distinguish them");
        product.done(kelp);
        assertThat(answers("skarn-ce1", "192.0.2.11")).isTrue();
        assertThat(answers("ternsay-ce2", "192.0.2.7")).isTrue();
        assertThat(answers("skarn-ce1", "192.0.2.17")).isFalse();
        assertThat(answers("haven-ce4", "192.0.2.7")).isFalse();
        // Of the other VPN a chosen prefix alone.
        product.done(kelp.replace("{ service: gannet-cold-stores }", "{ service: gannet-cold-stores, prefixes: [192.0.2.10/31] }"));
        assertThat(answers("skarn-ce1", "192.0.2.11")).isTrue();
        assertThat(answers("skarn-ce1", "192.0.2.9")).isFalse();
        product.done(kelp);
        assertThat(answers("skarn-ce1", "192.0.2.9")).isTrue();
        // Routes in alone: nothing of this VPN goes out, so nothing comes back.
        product.done(kelp.replace("{ service: gannet-cold-stores }", "{ service: gannet-cold-stores, direction: in }"));
        assertThat(answers("ternsay-ce2", "192.0.2.7")).isFalse();
        // Both import each other, in one order.
        String mutual = exporter.replace("      sites:", "      imports: [{ service: kelp-freezers }]\n      sites:");
        product.done(mutual + kelp.replace("      sites:", "      offered_to: [Gannet Cold Stores]\n      sites:").substring("services:\n".length()));
        assertThat(answers("skarn-ce1", "192.0.2.11")).isTrue();
        assertThat(answers("haven-ce2", "192.0.2.7")).isTrue();
        assertThat(refused("remove: [kelp-freezers]")).contains("gannet-cold-stores refers to kelp-freezers");
        product.done("remove: [kelp-freezers, harbour-lights, gannet-cold-stores]");
        assertThat(product.held()).isEqualTo(before);
    }

    @Test
    void numbersChangeHandsInsideAnOrder() throws Exception {
        String one = example("l2vpn/examples/kelp-works-wire").replaceFirst("reason.*\n", "");
        String two = one.substring("services:\n".length()).replace("kelp-works-wire", "kelp-second-wire").replace("tag: 400 ", "tag: 401 ").replace("tag: 410,", "tag: 411,")
                .replace("\"400\"", "\"401\"");
        product.done(one + two);
        product.done(swapped(swapped(one + two, "tag: 400 ", "tag: 401 "), "\"400\"", "\"401\""));
        // Rolled back, no number has moved; and while an order holds it, nobody else gets it.
        product.fault("olvar-pe1", "{\"trouble\":\"refuse\",\"step\":\"edit\",\"message\":\"not now\",\"path\":\"\",\"during\":0}");
        assertThat(product.placed(swapped(one + two, "tag: 410,", "tag: 411,")).getObject("order").getString("state")).isEqualTo("ROLLED_BACK");
        product.done("remove: [kelp-works-wire]\nservices:\n" + two.replace("tag: 411,", "tag: 410,").replace("kelp-second-wire", "kelp-third-wire").replace("tag: 401 ", "tag: 402 ")
                .replace("\"401\"", "\"402\""));
        product.done("remove: [kelp-third-wire, kelp-second-wire]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** A device may say anything: what it says is stored and shown without what is not for text, cut to what somebody reads, and keeps no order from ending. */
    @Test
    void whatADeviceSaysStopsNoOrder() throws Exception {
        String islands = example("l3vpn/examples/tidewater-four-islands");
        product.done(example("l3vpn/examples/tidewater-clinics"));
        product.fault("skarn-pe1", "{\"trouble\":\"refuse\",\"step\":\"edit\",\"message\":\"no\\u0000 room \\u001b[2J\\u202e " + "x".repeat(50_000) + "\",\"path\":\"\",\"during\":0}");
        JsonObject order = product.placed(islands).getObject("order");
        assertThat(order.getString("state")).isEqualTo("ROLLED_BACK");
        // The device that had changed before shows its entries in another sequence now; that is no change.
        product.done(islands);
        assertThat(order.getString("failure")).contains("room").hasSizeLessThan(4_000).matches(text -> text.codePoints().noneMatch(Character::isISOControl));
        product.done(CLINICS);
        assertThat(product.held()).isEqualTo(before);
    }

    /** An ok to a confirmation that was not meant: the device would roll back a minute after the order was done, and lock nobody in until then. */
    @Test
    void aConfirmationThatWasNotMeantIsFoundOut() throws Exception {
        product.fault("haven-pe1", "{\"trouble\":\"pretend\",\"step\":\"confirm\",\"during\":0}");
        product.done(example("l3vpn/examples/tidewater-clinics"));
        product.done(CLINICS);
        assertThat(product.held()).isEqualTo(before);
    }

    /** Each attempt to confirm loses its session: the device is reached again as soon as it answers, however often that was. */
    @Test
    void aDeviceThatIsLostAgainAndAgainIsReachedAgain() throws Exception {
        product.fault("haven-pe1", "{\"trouble\":\"silent\",\"step\":\"confirm\",\"during\":45}");
        product.done(example("l3vpn/examples/tidewater-clinics"));
        product.done(CLINICS);
        assertThat(product.held()).isEqualTo(before);
    }

    /** A port names its bundle, and a site its routing table: on a command line each is made before it is named, and removed afterwards. */
    @Test
    void aCommandLineTakesWhatNamesEachOther() throws Exception {
        String records = example("tenant/examples/tidewater-records");
        String bundled = records.replace("{ device: hall-leaf2, port: access-2 }", "{ device: hall-leaf5, port: access-2 }");
        product.done(bundled);
        product.done(records);
        product.done(bundled);
        product.done("remove: [tidewater-records]");
        String sites = "services:\n  - name: roles\n    tenant: Tidewater Clinics\n    model: l3vpn\n    parameters:\n      sites:\n"
                + "        - { name: haven, device: haven-pe1, port: access-1, tag: 110, address: 192.0.2.0/31, customer: 192.0.2.1, role: HUB }\n"
                + "        - { name: skarn, device: skarn-pe1, port: access-1, tag: 110, address: 192.0.2.6/31, customer: 192.0.2.7, role: SPOKE }\n";
        product.done(sites.replace("HUB", "any").replace("SPOKE", "any"));
        product.done(sites.replace("HUB", "hub").replace("SPOKE", "spoke"));
        product.done(sites.replace("HUB", "any").replace("SPOKE", "any"));
        product.done("remove: [roles]");
        assertThat(product.held()).isEqualTo(before);
    }

    private static JsonObject preview(String document) throws Exception {
        HttpResponse<String> answer = product.request("POST", "/api/v1/previews", document, YAML);
        assertThat(answer.statusCode()).as(answer.body()).isEqualTo(200);
        return JsonParser.object().from(answer.body());
    }

    /** Somebody types on a router: it is remembered, shown wherever the device or service is, asked about, and settled by a person. */
    @Test
    void driftIsRememberedUntilItIsSettled() throws Exception {
        String clinics = example("l3vpn/examples/tidewater-clinics");
        product.done(clinics);
        assertThat(product.rilvan("", "device", "read", "--all").code()).isZero();
        assertThat(product.drift()).isEmpty();
        String vrf = product.get("/api/v1/devices/haven-pe1").getArray("managed").stream().map(each -> ((JsonObject) each).getString("path"))
                .filter(each -> each.matches("/vpn/vrf\\[.*]")).findFirst().orElseThrow();
        String typing = "<vpn xmlns='urn:quern:vpn'><vrf><name>" + vrf.replaceAll(".*\\[|]", "") + "</name><description>typed %d</description></vrf></vpn>";
        product.typed("haven-pe1", typing.formatted(9001));
        // Not read yet: nothing is known of it, and the preview says of when it knows. An order that meets it stops, and then it is known.
        JsonObject unread = preview(clinics);
        assertThat(unread.getBoolean("changesNothing")).isTrue();
        assertThat(unread.getString("readAt")).isNotNull();
        assertThat(product.placed(CLINICS).getObject("order").getString("failure")).contains("haven-pe1");
        while (product.drift().isEmpty()) {
            TimeUnit.MILLISECONDS.sleep(50);
        }
        assertThat(product.get("/api/v1/devices/haven-pe1").getObject("device").getInt("drifted")).isEqualTo(1);
        assertThat(product.get("/api/v1/services/tidewater-clinics").getArray("drift")).hasSize(1);
        assertThat(product.rilvan("", "device", "drift").output()).contains("haven-pe1 " + vrf + "/description is 'typed 9001'; ordered: 'Tidewater");
        assertThat(product.rilvan("", "device", "explain", "haven-pe1", vrf + "/description").output()).contains("= typed 9001").contains("changed outside Rilvan; ordered: 'Tidewater");
        // An order that does not touch it says that it is there; one that would overwrite it asks.
        JsonObject node = preview(clinics).getArray("drift").getObject(0);
        assertThat(List.of(node.getString("device"), node.getString("path"), node.getString("found"))).containsExactly("haven-pe1", vrf + "/description", "typed 9001");
        assertThat(product.rilvan(clinics, "order", "preview", "-").output()).contains("Changed outside Rilvan, and not changed by this order:\n  haven-pe1 " + vrf + "/description is 'typed 9001'");
        String elsewhere = clinics.replace("198.51.100.64/26", "198.51.100.64/27");
        product.done(elsewhere);
        product.done(clinics);
        assertThat(product.drift()).hasSize(1);
        assertThat(refused("refresh: [tidewater-clinics]")).contains("The decision 'restore' sets 'Tidewater");
        assertThat(refused(CLINICS)).contains("it was changed outside Rilvan");
        // Left by a decision it is not asked about again, until it says something else.
        assertThat(product.rilvan("", "device", "leave", "haven-pe1", vrf + "/description", "--reason", " ").output()).contains("say why the node stays");
        assertThat(product.rilvan("", "device", "leave", "haven-pe1", vrf + "/name", "--reason", "so agreed").output()).contains("drifted: " + vrf + "/description");
        assertThat(product.rilvan("", "device", "leave", "haven-pe1", vrf + "/description", "--reason", "for now", "--until", "2001-01-01T00:00:00Z").output()).contains("2001-01-01T00:00Z is past");
        assertThat(product.rilvan("", "device", "leave", "haven-pe1", vrf + "/description", "--reason", "for now", "--until", OffsetDateTime.now().plusSeconds(8).toString()).output()).contains("left by engineer until", ": for now");
        product.awaitList("/api/v1/drift", drift -> drift.getObject(0).isNull("leftBy"));
        assertThat(product.rilvan("", "device", "leave", "haven-pe1", vrf + "/description", "--reason", "so agreed").output()).contains("left by engineer: so agreed");
        assertThat(product.rilvan("", "device", "drift").code()).isZero();
        assertThat(preview("refresh: [tidewater-clinics]").getBoolean("changesNothing")).isTrue();
        product.typed("haven-pe1", typing.formatted(9002));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.rilvan("", "device", "drift").code()).isEqualTo(1);
        assertThat(product.rilvan("", "device", "restore", "haven-pe1", "--preview").output()).contains("- ").contains("typed 9002");
        assertThat(product.rilvan("", "device", "restore", "haven-pe1", "--reason", "back to what is ordered").code()).isZero();
        assertThat(product.drift()).isEmpty();
        // A service whose node has drifted goes only by a decision, and leaves nothing behind.
        product.typed("haven-pe1", typing.formatted(9003));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(refused(CLINICS)).contains("The decision 'restore' sets what was there before the service");
        product.done(CLINICS + "\ndecisions: [{ device: haven-pe1, path: '" + vrf + "/description', decision: restore }]");
        assertThat(product.drift()).isEmpty();
        assertThat(product.held()).isEqualTo(before);
    }

    /** What somebody typed becomes what the service wants, where one parameter says just that; what is worked out is told apart. A part of a line, such as a VRF's name, is explained too. */
    @Test
    void whatWasTypedIsAccepted() throws Exception {
        product.done(example("l3vpn/examples/tidewater-clinics"));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.rilvan("", "device", "explain", "haven-pe1", "vpn-1001").output()).contains("/vpn/vrf[VPN-1001]", "tidewater-clinics");
        String typing = "<ports xmlns='urn:quern:ports'><port><name>access-1</name><circuit><id>110</id>%s</circuit></port></ports>";
        String circuit = "/ports/port[access-1]/circuit[110]";
        product.typed("haven-pe1", typing.formatted("<description>typed</description>"));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.rilvan("", "device", "accept", "haven-pe1", circuit + "/description", "--draft", "typed").output()).contains("it is worked out");
        assertThat(product.rilvan("", "device", "restore", "haven-pe1").code()).isZero();

        product.typed("haven-pe1", typing.formatted("<mtu>1400</mtu>"));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.rilvan("", "device", "accept", "haven-pe1", circuit + "/vrf", "--draft", "typed").output()).contains("has not drifted on haven-pe1; drifted: " + circuit + "/mtu");
        assertThat(product.rilvan("", "device", "accept", "haven-pe1", circuit + "/mtu", "--draft", "typed").output()).contains("change tidewater-clinics", "sites/haven/mtu: 1500 → 1400");
        assertThat(product.rilvan("", "draft", "run", "typed").output()).contains("done");
        assertThat(product.get("/api/v1/services/tidewater-clinics").getObject("service").getObject("parameters").getArray("sites").getObject(0).getInt("mtu")).isEqualTo(1400);
        assertThat(product.drift()).isEmpty();
        product.removeAll();
        assertThat(product.held()).isEqualTo(before);
    }

    /** A device returns to what it held, by an order: what somebody typed beside services goes, what services have put there since stays. */
    @Test
    void aDeviceReturnsToWhatItHeld() throws Exception {
        assertThat(product.rilvan("", "device", "read", "skarn-pe1", "haven-pe1").code()).isZero();
        String then = OffsetDateTime.now().toString();
        product.done(example("l3vpn/examples/tidewater-clinics"));
        product.typed("haven-pe1", "<vpn xmlns=\"urn:quern:vpn\"><vrf><name>LIGHTHOUSE</name><description>typed by the lamp</description><rd>64500:77</rd></vrf></vpn>");
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.rilvan("", "device", "return", "haven-pe1", "--at", then, "--preview").output()).contains("LIGHTHOUSE").doesNotContain("Tidewater Clinics");
        assertThat(product.rilvan("", "device", "return", "haven-pe1", "--at", "2001-01-01T00:00:00Z").output()).contains("what haven-pe1 held at 2001-01-01T00:00Z is not known");
        assertThat(product.rilvan("", "device", "return", "haven-pe1", "--at", then, "--reason", "nobody knows of the lighthouse").output()).contains("done");
        assertThat(product.rilvan("", "device", "return", "haven-pe1", "--at", then).output()).contains("no change");
        assertThat(product.drift()).isEmpty();
        assertThat(product.rilvan("", "service", "check", "tidewater-clinics").code()).isZero();
        assertThat(product.rilvan("", "device", "diff", "olvar-pe1", "--startup").output()).contains("no difference");
        product.removeAll();
        assertThat(product.held()).isEqualTo(before);
    }

    /** Into the VRFs of one VPN, on devices of three families: an import, a static route, a neighbour. One order removes them; the service goes only by a decision where one is left. */
    @Test
    void whatIsPutIntoAVrfIsDriftAndOneOrderRemovesIt() throws Exception {
        product.done(example("l3vpn/examples/skerry-desks"));
        String hub = product.running("haven-pe1").lines().filter(line -> line.contains("<name>VPN-") && !line.contains("return")).map(line -> line.replaceAll(".*<name>|</name>.*", "")).findFirst().orElseThrow();
        String vpn = hub.replace("-hub", "");
        String target = product.running("skarn-pe1").lines().filter(line -> line.startsWith(" give ")).map(line -> line.substring(6)).findFirst().orElseThrow();
        product.typed("haven-pe1", "<vpn xmlns='urn:quern:vpn'><vrf><name>" + hub + "</name><bgp><neighbor><address>192.0.2.99</address><remote-as>64999</remote-as></neighbor></bgp></vrf></vpn>");
        product.typed("olvar-pe1", "<context-target-row xmlns='urn:tarn:config'><context>" + vpn + "-school</context><direction>in</direction><target>" + target + "</target></context-target-row>");
        product.typed("skarn-pe1", "table " + vpn + "-clinic\n take " + target + "\nroutes " + vpn + "-clinic\n route 203.0.113.128/25 via 192.0.2.79");
        assertThat(product.rilvan("", "device", "read", "haven-pe1", "olvar-pe1", "skarn-pe1").code()).isZero();
        assertThat(product.drift().stream().map(each -> ((JsonObject) each).getString("device") + " " + ((JsonObject) each).getString("path"))).containsExactlyInAnyOrder(
                "haven-pe1 /vpn/vrf[" + hub + "]/bgp/neighbor[192.0.2.99]", "olvar-pe1 /context-target-row[" + vpn + "-school,in," + target + "]",
                "skarn-pe1 /table[" + vpn + "-clinic]/take[" + target + "]", "skarn-pe1 /routes[" + vpn + "-clinic]/route[203.0.113.128/25]");
        assertThat(product.rilvan("", "device", "explain", "skarn-pe1", "take " + target).output()).contains("put there outside Rilvan, into what a service has alone");
        assertThat(preview(example("l3vpn/examples/skerry-desks")).getArray("drift")).as("an order that leaves it says so").hasSize(4);
        assertThat(refused("remove: [skerry-desks]")).contains("contains /table[" + vpn + "-clinic]/take", "'restore' removes both",
                "/context-target-row[" + vpn + "-school,in," + target + "] from outside Rilvan belongs to it");
        assertThat(product.rilvan("", "device", "restore", "haven-pe1", "olvar-pe1", "skarn-pe1", "--reason", "as ordered").output()).contains("done: all devices hold what was ordered");
        assertThat(product.drift()).isEmpty();
        assertThat(product.rilvan("", "service", "check", "skerry-desks").code()).isZero();
        product.done("remove: [skerry-desks]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** Somebody has another VPN give its routes to ours: nothing of ours has drifted, no two sites of ours are any worse off, and it is named. */
    @Test
    void routesOfAStrangerAreFoundWhereverTheyComeFrom() throws Exception {
        product.done(example("l3vpn/examples/tidewater-clinics"));
        product.done(example("l3vpn/examples/gannet-cold-stores"));
        assertThat(product.rilvan("", "service", "check", "tidewater-clinics").code()).isZero();
        String gannet = product.number("gannet-cold-stores", "name");
        String target = product.number("tidewater-clinics", "target");
        String typing = "<vpn xmlns='urn:quern:vpn'><vrf><name>" + gannet + "</name><route-targets><export%s>" + target + "</export></route-targets></vrf></vpn>";
        product.typed("haven-pe1", typing.formatted(""));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        assertThat(product.drift()).singleElement().asString().contains("export[" + target + "]").contains("gannet-cold-stores");
        String seen = product.rilvan("", "service", "check", "tidewater-clinics").output();
        assertThat(seen).contains("routes of " + gannet + " on haven-pe1 come in, with the route distinguisher 64500:");
        // So is a distinguisher of ours that somebody changed, on the edges where its routes come in.
        String clinics = product.number("tidewater-clinics", "name");
        String changed = "<vpn xmlns='urn:quern:vpn'><vrf><name>" + clinics + "</name><rd>%s</rd></vrf></vpn>";
        product.typed("haven-pe1", changed.formatted("64500:9001"));
        assertThat(product.rilvan("", "service", "check", "tidewater-clinics").output()).contains("routes of " + clinics + " on haven-pe1 come in, with the route distinguisher 64500:9001");
        product.typed("haven-pe1", changed.formatted(product.number("tidewater-clinics", "rd/haven-pe1")));
        product.typed("haven-pe1", typing.formatted(" xmlns:nc='urn:ietf:params:xml:ns:netconf:base:1.0' nc:operation='delete'"));
        assertThat(product.rilvan("", "device", "read", "haven-pe1").code()).isZero();
        product.done("remove: [tidewater-clinics, gannet-cold-stores]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** A setting changes: what no longer follows from it is out of date, until an order brings it up to date. */
    @Test
    void aServiceThatTodaysSettingsWouldChangeIsOutOfDate() throws Exception {
        product.done(example("tenant/examples/tidewater-records"));
        assertThat(product.get("/api/v1/services/tidewater-records").getObject("outOfDate").getArray("devices")).isEmpty();
        product.request("PUT", "/api/v1/network", product.network().replace("value: [203.0.113.250]", "value: [203.0.113.251]"), YAML);
        assertThat(product.get("/api/v1/services/tidewater-records").getObject("outOfDate").getArray("devices")).isNotEmpty();
        while (!product.rilvan("", "service", "list", "--failing").output().contains("would change on")) {
            TimeUnit.MILLISECONDS.sleep(100);
        }
        assertThat(product.rilvan("", "service", "show", "tidewater-records").output()).contains("out of date").contains("rilvan service refresh tidewater-records --preview");
        product.done("refresh: [tidewater-records]");
        assertThat(product.get("/api/v1/services/tidewater-records").getObject("outOfDate").getArray("devices")).isEmpty();
        product.request("PUT", "/api/v1/network", product.network(), YAML);
        product.done("remove: [tidewater-records]");
        assertThat(product.held()).isEqualTo(before);
    }

    /** Who comes later finds that it has gone, or waits in line and is told so then; nobody finds a fault of ours. */
    @Test
    void whatManyRemoveAtOnceGoesOnce() throws Exception {
        String wire = example("l2vpn/examples/kelp-works-wire");
        ExecutorService people = Executors.newFixedThreadPool(8);
        for (int round = 0; round < 3; round++) {
            product.done(wire);
            List<Future<HttpResponse<String>>> asked = new ArrayList<>();
            for (int person = 0; person < 24; person++) {
                asked.add(people.submit(() -> product.request("POST", "/api/v1/orders", "remove: [kelp-works-wire]", YAML)));
            }
            List<Long> orders = new ArrayList<>();
            for (Future<HttpResponse<String>> each : asked) {
                HttpResponse<String> answer = each.get();
                assertThat(answer.statusCode()).as(answer.body()).isIn(202, 409, 422, 429);
                if (answer.statusCode() == 202) {
                    orders.add(JsonParser.object().from(answer.body()).getLong("order"));
                }
            }
            for (long order : orders) {
                product.await("/api/v1/orders/" + order, "order", row -> List.of("DONE", "ROLLED_BACK").contains(row.getString("state")));
            }
            assertThat(orders.stream().filter(order -> state(order).equals("DONE"))).hasSize(1);
            assertThat(product.request("GET", "/api/v1/services", "", YAML).body()).doesNotContain("kelp-works-wire");
        }
        people.shutdown();
        assertThat(product.held()).isEqualTo(before);
    }

    private static String state(long order) {
        try {
            return product.get("/api/v1/orders/" + order).getObject("order").getString("state");
        } catch (Exception e) {
            throw new IllegalStateException(e);
        }
    }
}
