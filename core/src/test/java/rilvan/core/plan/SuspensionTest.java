package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.MethodSource;
import rilvan.core.Shipped;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.ledger.Ledger;
import rilvan.core.model.Parameters;
import rilvan.core.pool.Allocation;

/** What is suspended is on no device and keeps its parameters and numbers; resumed, it is what it was, to the node. */
class SuspensionTest {

    private static final String CLINICS = Shipped.text("services/l3vpn/examples/tidewater-clinics.yaml");

    private final InMemoryPlanningSource desk = Shipped.skerra();

    private static List<String> examples() throws IOException {
        try (Stream<Path> files = Files.walk(Shipped.MODELS.resolve("services"))) {
            return files.map(file -> Shipped.MODELS.relativize(file).toString()).filter(file -> file.contains("/examples/") && file.endsWith(".yaml")).sorted().toList();
        }
    }

    @ParameterizedTest
    @MethodSource("examples")
    void everyExampleComesBackAsItWas(String file) {
        Map<String, String> start = canonical();
        try {
            Shipped.done(desk, Shipped.text(file));
        } catch (ValidationFailure e) {
            assertThat(e.getMessage()).as("only one that refers to others cannot stand by itself").contains("there is no service named");
            return;
        }
        Map<String, Ledger> ledgers = ledgers();
        Map<String, List<String>> numbers = numbers();
        Map<String, Service> services = services();
        List<String> roots = services.values().stream().filter(service -> service.componentOf().isEmpty()).map(Service::name).toList();

        Shipped.done(desk, "suspend: " + roots);
        assertThat(canonical()).isEqualTo(start);
        assertThat(numbers()).isEqualTo(numbers);
        assertThat(services().keySet()).isEqualTo(services.keySet());
        assertThat(Shipped.plan(desk, "suspend: " + roots).changesNothing()).isTrue();
        Plan refreshed = Shipped.plan(desk, "refresh: " + roots);
        assertThat(refreshed.changesNothing()).isTrue();
        assertThat(refreshed.checks()).isEmpty();

        Shipped.done(desk, "resume: " + roots);
        assertThat(ledgers()).isEqualTo(ledgers);
        assertThat(numbers()).isEqualTo(numbers);
        assertThat(services()).isEqualTo(services);

        for (String place : roots.stream().flatMap(root -> places(services.get(root))).toList()) {
            try {
                Shipped.done(desk, "suspend: ['" + place + "']");
            } catch (ValidationFailure e) {
                assertThat(e.problems()).as(place).allMatch(problem -> problem.pointer().startsWith("/suspend/0"));
                continue;
            }
            assertThat(ledgers()).as(place).isNotEqualTo(ledgers);
            assertThat(numbers()).as(place).isEqualTo(numbers);
            Shipped.done(desk, "resume: ['" + place + "']");
            assertThat(ledgers()).as(place).isEqualTo(ledgers);
            assertThat(services()).as(place).isEqualTo(services);
        }
    }

    @Test
    void aSiteIsNobodysMeanwhileButItsOwn() {
        Shipped.done(desk, CLINICS.replace("        - name: ternsay", "        - { name: quay, device: haven-pe1, port: access-5, tag: 111, address: 192.0.2.8/31, customer: 192.0.2.9 }\n        - name: ternsay"));
        Plan plan = Shipped.done(desk, "suspend: [tidewater-clinics/sites/quay]");
        assertThat(plan.devices().keySet()).containsExactly("haven-pe1");
        assertThat(plan.checks()).noneMatch(check -> check.ends().stream().anyMatch(end -> end.port().equals("access-5")));
        // Its tag, and its address, are still its own.
        assertThatThrownBy(() -> Shipped.plan(desk, CLINICS.replace("tidewater-clinics", "others").replaceFirst("access-1", "access-5").replaceFirst("tag: 110", "tag: 111")))
                .hasMessageContaining("111 on haven-pe1 access-5 is already in use by tidewater-clinics");
        // A change of something else leaves it suspended; what is wrong is told at the place where it stands in the document.
        String suspended = CLINICS.replace("        - name: haven\n", "        - name: quay\n          device: haven-pe1\n          port: access-5\n          tag: 111\n          address: 192.0.2.8/31\n          customer: 192.0.2.9\n"
                + "          suspended: true\n        - name: haven\n");
        assertThat(Shipped.plan(desk, suspended).outcomes().get(0).expansion().orElseThrow().clauses()).noneMatch(clause -> clause.says().containsValue("access-5"));
        assertThatThrownBy(() -> Shipped.plan(desk, suspended.replace("customer: 192.0.2.3", "customer: 192.0.2.130"))).hasMessageContaining("/parameters/sites/2/");
        assertThatThrownBy(() -> Shipped.plan(desk, suspended.replace("suspended: true", "suspended: maybe"))).hasMessageContaining("/services/0/parameters/sites/0/suspended: must be true or false");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "suspend: [harbour-lights] | /suspend/0: there is no service named 'harbour-lights'",
        "suspend: [tidewater-clinics/sites/quay] | /suspend/0: there is nothing named 'quay' among its sites",
        "suspend: [tidewater-clinics/rate/quay] | /suspend/0: 'rate/quay' is no part of this service; a part is written such as sites/NAME",
        "suspend: [tidewater-clinics/sites] | /suspend/0: 'sites' is no part of this service",
        "suspend: [tidewater-clinics, tidewater-clinics] | is said twice in this order",
        "{suspend: [tidewater-clinics], remove: [tidewater-clinics]} | tidewater-clinics is named twice in this order"})
    void whatCannotBeSuspendedIsRefused(String order, String message) {
        Shipped.done(desk, CLINICS);
        assertThatThrownBy(() -> Shipped.plan(desk, order)).hasMessageContaining(message);
    }

    private static Stream<String> places(Service service) {
        Parameters parameters = Shipped.CATALOG.model(service.model(), java.util.Optional.of(service.modelVersion())).orElseThrow().parameters();
        return Parameters.placed(parameters.schema()).keySet().stream().flatMap(list -> ((List<?>) service.parameters().get(list)).stream().map(item -> service.name() + "/" + list + "/" + ((Map<?, ?>) item).get("name")));
    }

    private Map<String, Service> services() {
        Map<String, Service> services = new TreeMap<>();
        desk.services().forEach(name -> services.put(name, desk.service(name).orElseThrow()));
        return services;
    }

    private Map<String, Ledger> ledgers() {
        Map<String, Ledger> ledgers = new TreeMap<>();
        Shipped.SKERRA.devices().keySet().forEach(device -> ledgers.put(device, desk.ledger(device)));
        return ledgers;
    }

    private Map<String, List<String>> numbers() {
        Map<String, List<String>> numbers = new TreeMap<>();
        desk.services().forEach(name -> numbers.put(name, new ArrayList<>(desk.heldBy(name)).stream().map(Allocation::toString).sorted().toList()));
        return numbers;
    }

    private Map<String, String> canonical() {
        Map<String, String> texts = new TreeMap<>();
        desk.configurations().forEach((device, text) -> texts.put(device, Shipped.canonical(device, text)));
        return texts;
    }
}
