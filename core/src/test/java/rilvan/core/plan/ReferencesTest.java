package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.pool.Allocation;

/** Services that refer to each other, and numbers that change hands within one order. */
class ReferencesTest {

    private static final String EXPORTER = Shipped.text("services/l3vpn/examples/gannet-cold-stores.yaml");
    private static final String IMPORTER = Shipped.text("services/l3vpn/examples/harbour-lights.yaml");
    private static final String CLINICS = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml");

    private final InMemoryPlanningSource source = Shipped.skerra();

    private static String services(String document) {
        return document.substring(document.indexOf("services:\n") + "services:\n".length());
    }

    private static String together(String... documents) {
        return "services:\n" + List.of(documents).stream().map(ReferencesTest::services).collect(Collectors.joining("\n"));
    }

    private Map<String, String> canonical() {
        return source.configurations().entrySet().stream().collect(Collectors.toMap(Map.Entry::getKey,
                entry -> Shipped.canonical(entry.getKey(), entry.getValue())));
    }

    @Test
    void aServiceThatIsReferredToCannotBeRemoved() {
        Shipped.done(source, EXPORTER);
        Shipped.done(source, IMPORTER);
        assertThatThrownBy(() -> Shipped.plan(source, "remove: [gannet-cold-stores]"))
                .hasMessage("/remove/0: harbour-lights refers to gannet-cold-stores; change or remove it in the same order");
        assertThat(Shipped.done(source, "remove: [gannet-cold-stores, harbour-lights]").outcomes()).hasSize(2);
    }

    @Test
    void aServiceIsRemovedInTheOrderThatChangesItsReferrer() {
        Shipped.done(source, EXPORTER);
        Shipped.done(source, IMPORTER);
        Plan plan = Shipped.done(source, IMPORTER.replace("      imports: [{ service: gannet-cold-stores }]\n", "") + "remove: [gannet-cold-stores]\n");
        assertThat(plan.outcomes().stream().map(Plan.Outcome::kind)).containsExactly(ChangeKind.CHANGE, ChangeKind.REMOVE);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "offered_to: [Harbour Lights Office] | offered_to: [] | does not offer its routes to Harbour Lights Office",
        "customer: 192.0.2.9 | customer: 192.0.2.9⏎          routes: [203.0.113.240/29] | overlaps own 203.0.113.240/28",
        "customer: 192.0.2.9 | customer: 192.0.2.9⏎          address6: 2001:db8:a:ffff::2/112⏎          customer6: 2001:db8:a:ffff::3 | overlaps own 2001:db8:a:ffff::/127",
    })
    void aChangeIsHeldAgainstTheRulesOfItsReferrers(String given, String instead, String message) {
        Shipped.done(source, EXPORTER);
        Shipped.done(source, IMPORTER);
        assertThatThrownBy(() -> Shipped.plan(source, EXPORTER.replaceFirst(given.replace("[", "\\[").replace("]", "\\]"), instead.replace("⏎", "\n"))))
                .hasMessageStartingWith("/services/0: harbour-lights, which refers to gannet-cold-stores, would be refused: ").hasMessageContaining(message);
    }

    @Test
    void linksFromAPoolAreHeldAgainstWhatIsGiven() {
        Shipped.done(source, EXPORTER.replace("          address: 192.0.2.8/31\n          customer: 192.0.2.9\n", "          addressing: pool\n"));
        String link = source.heldBy("gannet-cold-stores").stream().filter(each -> each.key().equals("link/office")).findFirst()
                .map(each -> Shipped.SKERRA.pools().get(each.pool()).write(each.number())).orElseThrow();
        assertThatThrownBy(() -> Shipped.plan(source, IMPORTER.replace("routes: [203.0.113.240/28]", "routes: [203.0.113.240/28, " + link + "]")))
                .hasMessageContaining("gannet-cold-stores " + link + " (from a pool) overlaps own " + link);
    }

    @Test
    void exporterAndImporterAreAddedInOneOrderInEitherSequence() {
        Map<String, String> before = canonical();
        Shipped.done(source, together(EXPORTER, IMPORTER));
        Map<String, String> one = canonical();
        Shipped.done(source, "remove: [harbour-lights, gannet-cold-stores]");
        assertThat(canonical()).isEqualTo(before);
        Shipped.done(source, together(IMPORTER, EXPORTER));
        assertThat(source.configurations().get("haven-pe1")).contains("64500:");
        assertThat(Shipped.plan(source, together(EXPORTER, IMPORTER)).changesNothing()).isTrue();
        assertThat(one.keySet()).isEqualTo(canonical().keySet());
    }

    /** A new offer takes a number, and whoever imports it in the same order imports just that number. */
    @Test
    void anOfferAndItsImportMayBeMadeInOneOrder() {
        Shipped.done(source, EXPORTER.replace("      offered_to: [Harbour Lights Office]\n", ""));
        Shipped.done(source, IMPORTER.replace("      imports: [{ service: gannet-cold-stores }]\n", ""));
        Shipped.done(source, together(IMPORTER, EXPORTER));
        String target = source.heldBy("gannet-cold-stores").stream().filter(each -> each.key().equals("shared/shared")).findFirst()
                .map(each -> Shipped.SKERRA.pools().get(each.pool()).write(each.number())).orElseThrow();
        assertThat(source.configurations().get("haven-pe1")).contains("<import>" + target + "</import>");
    }

    /** What a wrong service makes impossible for others is said once, at the wrong one. */
    @Test
    void whatIsWrongWithAServiceIsNotRepeatedAtItsReferrers() {
        assertThatThrownBy(() -> Shipped.plan(source, together(IMPORTER, EXPORTER.replace("device: haven-pe1", "device: haven-pe9"))))
                .hasMessageStartingWith("/services/1/parameters/sites/0/device: there is no device named 'haven-pe9'").hasMessageNotContaining("; /services");
    }

    @Test
    void aRenamedServiceKeepsItsNumbersAndLeavesNoTrace() {
        Map<String, String> before = canonical();
        Shipped.done(source, EXPORTER);
        List<Allocation> held = source.heldBy("gannet-cold-stores");
        assertThatThrownBy(() -> Shipped.plan(source, EXPORTER.replace("name: gannet-cold-stores", "name: gannet-freezers\n    renamed_from: gannet")))
                .hasMessageContaining("/services/0/renamed_from: there is no service named 'gannet'");
        Plan plan = Shipped.done(source, EXPORTER.replace("name: gannet-cold-stores", "name: gannet-freezers\n    renamed_from: gannet-cold-stores"));
        assertThat(plan.outcomes().get(0).kind()).isEqualTo(ChangeKind.CHANGE);
        assertThat(source.services()).containsExactlyInAnyOrder("gannet-freezers");
        assertThat(source.heldBy("gannet-freezers").stream().map(each -> each.key() + each.number()).toList())
                .containsExactlyInAnyOrderElementsOf(held.stream().map(each -> each.key() + each.number()).toList());
        Shipped.done(source, "remove: [gannet-freezers]");
        assertThat(canonical()).isEqualTo(before);
    }

    @Test
    void aServiceThatIsReferredToIsRenamedTogetherWithTheReference() {
        Shipped.done(source, together(EXPORTER, IMPORTER));
        String renamed = EXPORTER.replace("name: gannet-cold-stores", "name: gannet-freezers\n    renamed_from: gannet-cold-stores");
        assertThatThrownBy(() -> Shipped.plan(source, renamed)).hasMessageContaining("/services/0/renamed_from: harbour-lights refers to gannet-cold-stores");
        Shipped.done(source, together(renamed, IMPORTER.replace("service: gannet-cold-stores", "service: gannet-freezers")));
        assertThat(source.services()).containsExactlyInAnyOrder("gannet-freezers", "harbour-lights");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "a site is renamed | name: haven | name: harbour",
        "a port is changed | port: access-1 | port: access-3",
    })
    void aPlaceMayBeCalledOtherwise(String what, String given, String instead) {
        Shipped.done(source, CLINICS);
        Plan plan = Shipped.done(source, CLINICS.replaceFirst(given, instead));
        assertThat(plan.outcomes().get(0).kind()).as(what).isEqualTo(ChangeKind.CHANGE);
        Shipped.done(source, CLINICS);
        assertThat(Shipped.plan(source, CLINICS).changesNothing()).isTrue();
    }

    /** Two services swap their tags on one port. */
    @Test
    void tagsAreSwappedInOneOrder() {
        String gannet = EXPORTER.replaceFirst("access-2", "access-1");
        Shipped.done(source, CLINICS);
        Shipped.done(source, gannet);
        Plan plan = Shipped.done(source, together(CLINICS.replaceFirst("tag: 110", "tag: 120"), gannet.replaceFirst("tag: 120", "tag: 110")));
        assertThat(plan.allocations().stream().filter(each -> each.within().equals("haven-pe1 access-1")).map(each -> each.service() + " " + (each.number() >> 12)))
                .containsExactlyInAnyOrder("tidewater-clinics 120", "gannet-cold-stores 110");
    }

    @Test
    void aTagPassesFromARemovedServiceToANewOne() {
        Shipped.done(source, CLINICS);
        String gannet = EXPORTER.replaceFirst("access-2", "access-1").replaceFirst("tag: 120", "tag: 110");
        assertThatThrownBy(() -> Shipped.plan(source, gannet)).hasMessageContaining("110 on haven-pe1 access-1 is already in use by tidewater-clinics");
        Shipped.done(source, gannet + "remove: [tidewater-clinics]\n");
        assertThat(source.services()).containsExactlyInAnyOrder("gannet-cold-stores");
    }

    @Test
    void aNumberThatTwoServicesOfAnOrderWantIsRefused() {
        Shipped.done(source, CLINICS);
        String gannet = EXPORTER.replaceFirst("access-2", "access-1").replaceFirst("tag: 120", "tag: 110");
        assertThatThrownBy(() -> Shipped.plan(source, together(gannet, CLINICS)))
                .hasMessage("/services/0/parameters/sites/0/tag: 110 on haven-pe1 access-1 is already in use by tidewater-clinics");
    }

    @Test
    void aServiceIsExpandedAgainWithTheParametersItHas() {
        Shipped.done(source, CLINICS);
        assertThat(Shipped.plan(source, "refresh: [tidewater-clinics]").changesNothing()).isTrue();
        assertThatThrownBy(() -> Shipped.plan(source, "refresh: [tidewater]")).hasMessage("/refresh/0: there is no service named 'tidewater'");
    }
}
