package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.ValidationFailure;
import rilvan.core.ledger.Owner;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.Outcome;

/** Services that contain services of other models. */
class ComponentsTest {

    private static final String OFFICES = Shipped.text("services/offices/examples/council-offices.yaml");
    private static final String MODEL = Shipped.text("services/offices/model.yaml");
    private static final int SHIPPED = Shipped.CATALOG.versions().get("offices").lastKey();
    private static final int NEXT = SHIPPED + 1;
    /** Contains a service of a model that contains services itself. */
    private static final String CAMPUS = """
        model: campus
        version: 1
        title: Campus
        parameters:
          type: object
          required: [houses]
          properties:
            houses:
              type: array
              items:
                type: object
                required: [name, at, port, tag, ours, theirs]
                properties: { name: { format: label }, at: { refers: device }, port: { refers: port, at: at }, tag: { format: tags }, ours: { format: ip-interface }, theirs: { format: ip-address } }
        services:
          - name: all
            model: offices
            version: %d
            parameters:
              offices:
                each: h in houses
                item: { name: "=h.name", device: "=h.at", port: "=h.port", data_tag: "=h.tag", address: "=h.ours", customer: "=h.theirs" }
        """.formatted(SHIPPED);
    private static final String CAMPUS_ORDER = """
        services:
          - name: school
            tenant: Skerry Council
            model: campus
            parameters:
              houses:
                - { name: haven, at: haven-pe1, port: access-5, tag: 830, ours: 192.0.2.60/31, theirs: 192.0.2.61 }
                - { name: skarn, at: skarn-pe1, port: access-4, tag: 830, ours: 192.0.2.62/31, theirs: 192.0.2.63 }
        """;

    private final InMemoryPlanningSource source = source();

    private static InMemoryPlanningSource source() {
        Map<String, SortedMap<Integer, ServiceModel>> models = new LinkedHashMap<>();
        Shipped.CATALOG.versions().forEach((name, versions) -> models.put(name, new TreeMap<>(versions)));
        // In its next version the data's packets are smaller.
        List.of(MODEL.replace("version: " + SHIPPED + "\ntitle", "version: " + NEXT + "\ntitle").replace("rate: \"=o.rate\" }", "rate: \"=o.rate\", mtu: 1400 }"), CAMPUS).forEach(text -> {
            ServiceModel model = ModelReader.read(text, Shipped.VOCABULARY, models);
            models.computeIfAbsent(model.name(), name -> new TreeMap<>()).put(model.version(), model);
        });
        return new InMemoryPlanningSource(new Catalog(Shipped.VOCABULARY, models, Shipped.CATALOG.dialects()), Shipped.SKERRA, Shipped.skerra().configurations());
    }

    private static Map<String, ChangeKind> kinds(Plan plan) {
        return plan.outcomes().stream().collect(Collectors.toMap(Outcome::service, Outcome::kind));
    }

    private Map<String, String> canonical() {
        return source.configurations().entrySet().stream().collect(Collectors.toMap(Map.Entry::getKey, entry -> Shipped.canonical(entry.getKey(), entry.getValue())));
    }

    private Set<String> owners(String device) {
        return source.ledger(device).entries().values().stream().flatMap(entry -> entry.owners().stream()).map(Owner::service).collect(Collectors.toSet());
    }

    private static String offices() {
        return OFFICES.replace("model: offices\n", "model: offices\n    version: " + SHIPPED + "\n");
    }

    @Test
    void allOfItIsMadeAndRemovedInOneOrderEachWithALedgerOfItsOwn() {
        Map<String, String> before = canonical();
        Plan plan = Shipped.done(source, offices());
        assertThat(kinds(plan)).isEqualTo(Map.of("council-offices", ChangeKind.ADD, "council-offices-data", ChangeKind.ADD, "council-offices-phones", ChangeKind.ADD));
        assertThat(owners("haven-pe1")).containsExactlyInAnyOrder("council-offices-data", "council-offices-phones");
        assertThat(owners("skarn-pe1")).containsExactly("council-offices-data");
        assertThat(source.heldBy("council-offices-phones")).isNotEmpty();
        assertThat(Shipped.plan(source, OFFICES).changesNothing()).isTrue();
        assertThat(kinds(Shipped.plan(source, "remove: [council-offices-data, council-offices, council-offices-phones]"))).hasSize(3).containsValue(ChangeKind.REMOVE);
        assertThat(kinds(Shipped.done(source, "remove: [council-offices]"))).containsOnlyKeys("council-offices", "council-offices-data", "council-offices-phones").containsValue(ChangeKind.REMOVE);
        assertThat(canonical()).isEqualTo(before);
        assertThat(source.services()).isEmpty();
        assertThat(source.heldBy("council-offices-data")).isEmpty();
    }

    @Test
    void whatItNoLongerContainsGoesAndComesAgain() {
        Shipped.done(source, offices());
        Map<String, String> before = canonical();
        Plan without = Shipped.done(source, OFFICES.replace(", phone_tag: 820", ""));
        assertThat(kinds(without)).containsEntry("council-offices-phones", ChangeKind.REMOVE).containsEntry("council-offices-data", ChangeKind.KEEP);
        assertThat(owners("haven-pe1")).containsExactly("council-offices-data");
        Shipped.done(source, OFFICES);
        assertThat(canonical()).isEqualTo(before);
    }

    @Test
    void aChangeIsMadeWhereItBelongs() {
        Shipped.done(source, offices());
        Plan plan = Shipped.done(source, OFFICES.replace("phone_tag: 820 }", "phone_tag: 821 }"));
        assertThat(kinds(plan)).containsEntry("council-offices-phones", ChangeKind.CHANGE).containsEntry("council-offices-data", ChangeKind.KEEP);
        assertThat(plan.devices().keySet()).containsExactlyInAnyOrder("haven-pe1", "ternsay-pe1");
    }

    /** Its components move with it: what they say changes, and nobody else's numbers do. */
    @Test
    void itMovesToAnotherVersionOfItsModel() {
        Shipped.done(source, offices());
        var held = source.heldBy("council-offices-data");
        Plan plan = Shipped.done(source, "move: [{ service: council-offices, version: " + NEXT + " }]");
        assertThat(kinds(plan)).containsEntry("council-offices-data", ChangeKind.CHANGE).containsEntry("council-offices-phones", ChangeKind.KEEP);
        assertThat(source.heldBy("council-offices-data")).containsExactlyInAnyOrderElementsOf(held);
        assertThat(Shipped.plan(source, "refresh: [council-offices]").changesNothing()).isTrue();
        assertThat(source.service("council-offices").orElseThrow().modelVersion()).isEqualTo(NEXT);
    }

    @Test
    void itsComponentsAreRenamedWithItAndKeepTheirNumbers() {
        Shipped.done(source, offices());
        List<String> held = source.heldBy("council-offices-data").stream().map(each -> each.key() + each.number()).toList();
        Plan plan = Shipped.done(source, OFFICES.replace("name: council-offices\n", "name: skerry-offices\n    renamed_from: council-offices\n"));
        assertThat(plan.outcomes().stream().map(outcome -> outcome.formerly() + " " + outcome.service())).contains("council-offices-data skerry-offices-data", "council-offices-phones skerry-offices-phones");
        assertThat(source.services()).containsExactlyInAnyOrder("skerry-offices", "skerry-offices-data", "skerry-offices-phones");
        assertThat(source.heldBy("skerry-offices-data").stream().map(each -> each.key() + each.number())).containsExactlyInAnyOrderElementsOf(held);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "remove: [council-offices-data]                                        | /remove/0: council-offices-data is a component of council-offices and goes with it; change council-offices",
        "move: [{ service: council-offices-phones, version: 1 }]               | /move/0: council-offices-phones is a component of council-offices",
    })
    void aComponentIsNotChangedByItself(String order, String message) {
        Shipped.done(source, offices());
        assertThatThrownBy(() -> Shipped.plan(source, order)).hasMessageStartingWith(message);
    }

    /** What has drifted or is out of date is told of a component; bringing it up to date brings up all that it belongs to. */
    @Test
    void aComponentIsRefreshedWithTheWhole() {
        Shipped.done(source, offices());
        Plan plan = Shipped.plan(source, "refresh: [council-offices-phones, council-offices-data]");
        assertThat(plan.changesNothing()).isTrue();
        assertThat(kinds(plan)).containsOnlyKeys("council-offices", "council-offices-data", "council-offices-phones");
        assertThat(kinds(Shipped.plan(source, "refresh: [council-offices-phones, council-offices]"))).hasSize(3);
        assertThat(kinds(Shipped.plan(source, "refresh: [council-offices-phones]\nremove: [council-offices]"))).containsOnlyKeys("council-offices", "council-offices-data", "council-offices-phones")
                .containsValue(ChangeKind.REMOVE);
    }

    /** What is wrong with a component is told at the field of the order that it comes from. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "data_tag: 811   | data_tag: 3993   | /services/0/parameters/offices/2/data_tag: council-offices-data, a component of council-offices, would be refused: 3993 is reserved",
        "198.51.100.208/28 | 198.51.100.192/28 | /services/0/parameters/offices",
        "customer: 192.0.2.45 | customer: 192.0.2.99 | /services/0/parameters/offices/2/customer: council-offices-data",
        "data_tag: 810, address: 192.0.2.42 | data_tag: 820, address: 192.0.2.42 | /services/0/parameters/offices/1/",
        "phone_tag: 820 }⏎        - { name: ternsay | phone_tag: 820 }⏎        - { name: haven | /services/0/parameters/offices/1/name: council-offices-data",
        ", routes: [198.51.100.208/28], phone_tag: 820 | | only haven has telephones; give another office a tag",
    })
    void aRefusalIsLedToTheFieldOfTheOrder(String given, String instead, String message) {
        String order = offices().replace(given.replace("⏎", "\n"), instead == null ? "" : instead.replace("⏎", "\n"));
        assertThat(order).isNotEqualTo(offices());
        assertThatThrownBy(() -> Shipped.plan(source, order)).isInstanceOf(ValidationFailure.class).hasMessageContaining(message);
    }

    @Test
    void aNameIsTakenOnce() {
        Shipped.done(source, Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml").replace("name: tidewater-clinics", "name: council-offices-data"));
        assertThatThrownBy(() -> Shipped.plan(source, offices())).hasMessageContaining("its component would be named council-offices-data, and there is such a service already");
        assertThatThrownBy(() -> Shipped.plan(source, offices().replace("name: council-offices\n", "name: " + "c".repeat(60) + "\n")))
                .hasMessageContaining("which is not a name");
    }

    @Test
    void aServiceThatRefersToAComponentKeepsIt() {
        Shipped.done(source, offices());
        Shipped.done(source, Shipped.text("services/l3vpn/examples/gannet-cold-stores.yaml").replace("offered_to: [Harbour Lights Office]", "imports: []"));
        // Referring needs an offer: the component has none, and its container's field is not there to make one.
        assertThatThrownBy(() -> Shipped.plan(source, Shipped.text("services/l3vpn/examples/harbour-lights.yaml").replace("service: gannet-cold-stores", "service: council-offices-data")))
                .hasMessageContaining("council-offices-data");
    }

    @Test
    void componentsMayHaveComponents() {
        Map<String, String> before = canonical();
        Shipped.done(source, CAMPUS_ORDER);
        assertThat(source.services()).containsExactlyInAnyOrder("school", "school-all", "school-all-data");
        assertThatThrownBy(() -> Shipped.plan(source, CAMPUS_ORDER.replace("tag: 830, ours: 192.0.2.62", "tag: 3993, ours: 192.0.2.62")))
                .hasMessageContaining("/services/0/parameters/houses/1/tag: school-all, a component of school, would be refused: school-all-data, a component of school-all, would be refused: 3993 is reserved");
        Shipped.done(source, CAMPUS_ORDER.replace("name: school\n", "name: college\n    renamed_from: school\n"));
        assertThat(source.services()).containsExactlyInAnyOrder("college", "college-all", "college-all-data");
        Shipped.done(source, "remove: [college]");
        assertThat(source.services()).isEmpty();
        assertThat(canonical()).isEqualTo(before);
    }

    /** An office leaves a port in the same order in which another service takes it. */
    @Test
    void numbersPassBetweenComponentsAndOthers() {
        Shipped.done(source, offices());
        String clinic = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml").replace("port: access-1\n          tag: 110\n          address: 192.0.2.0/31", "port: access-5\n          tag: 820\n          address: 192.0.2.0/31");
        assertThatThrownBy(() -> Shipped.plan(source, clinic)).hasMessageContaining("council-offices-phones");
        Plan plan = Shipped.done(source, OFFICES.replace(", phone_tag: 820", "") + clinic.substring(clinic.indexOf("  - name:")));
        assertThat(kinds(plan)).containsEntry("council-offices-phones", ChangeKind.REMOVE).containsEntry("tidewater-clinics", ChangeKind.ADD);
    }
}
