package rilvan.kit;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.model.Vocabulary;

/** The tables of tests beside every shipped model, and the pages that are made from them. */
class ShippedModelsTest {

    private static final Path MODELS = Path.of("../models");

    @TestFactory
    List<DynamicTest> everyTableOfEveryModel() throws IOException {
        Catalog catalog = Catalog.read(MODELS);
        try (Stream<Path> folders = Files.list(MODELS.resolve("services"))) {
            return folders.sorted().flatMap(folder -> outcomes(catalog, folder).stream().map(outcome ->
                    DynamicTest.dynamicTest(folder.getFileName() + ": " + outcome.test(), () -> assertThat(outcome.failure()).isEmpty()))).toList();
        }
    }

    @TestFactory
    List<DynamicTest> everyPageIsWhatItsModelSays() throws IOException {
        Catalog catalog = Catalog.read(MODELS);
        return catalog.models().keySet().stream().map(model -> DynamicTest.dynamicTest(model, () -> {
            Path folder = MODELS.resolve("services").resolve(model);
            assertThat(Files.readString(folder.resolve("README.md"))).as("run: rilvan kit page models/services/" + model)
                    .isEqualTo(ModelPage.of(catalog, folder));
        })).toList();
    }

    /** Whatever an order asks for, it is worked out or refused by a rule; the seed is printed, and taken from {@code -Drilvan.seed}. */
    @TestFactory
    List<DynamicTest> noModelFailsForAReasonOfItsOwn() throws IOException {
        Catalog catalog = Catalog.read(MODELS);
        long seed = Long.getLong("rilvan.seed", System.nanoTime());
        System.out.println("varying with seed " + seed);
        return catalog.models().keySet().stream().map(model -> DynamicTest.dynamicTest(model, () ->
                assertThat(new ModelTests(catalog, MODELS, MODELS.resolve("services").resolve(model)).vary(400, new Random(seed))).as("seed %d", seed).isEmpty())).toList();
    }

    @Test
    void whatNoCheckOfAModelSeesIsKnown() throws IOException {
        Catalog catalog = Catalog.read(MODELS);
        Map<String, List<String>> unchecked = new TreeMap<>();
        catalog.models().forEach((name, model) -> unchecked.put(name, List.copyOf(model.unchecked(catalog.vocabulary()))));
        assertThat(unchecked).isEqualTo(Map.of("l2vpn", List.of(), "offices", List.of(), "vpls", List.of(), "tenant", List.of("attachment.mtu"), "device-text", List.of("native.label", "native.text", "native.values"),
                "l3vpn", List.of("bgp-peer.filter_out", "bgp-peer.limit", "bgp-peer.origin", "bgp-peer.override", "bgp-peer.own_as", "ospf.domain", "ospf.tag", "vrf.paths")));
    }

    /** A field that is named by itself is exercised by observations that name it, and by no others. */
    @Test
    void theVocabularyNamesOnlyClausesAndFieldsThatThereAre() throws IOException {
        String text = Files.readString(MODELS.resolve("vocabulary.yaml"));
        Vocabulary vocabulary = Vocabulary.read(Document.read(text));
        assertThat(vocabulary.exercise(Set.of("reach"), "attachment", "port")).isTrue();
        assertThat(vocabulary.exercise(Set.of("reach"), "attachment", "rate")).isFalse();
        assertThat(vocabulary.exercise(Set.of("rate"), "attachment", "rate")).isTrue();
        assertThatThrownBy(() -> Vocabulary.read(Document.read(text.replace("exercises: [bridge.mac_limit]", "exercises: [bridge.mac_limits]"))))
                .hasMessageContaining("/observations/learning/exercises").hasMessageContaining("there is no clause or field 'bridge.mac_limits'");
    }

    /** A hub is not begun with alone, but its last spoke may leave, and one may come again. */
    @Test
    void theLastSpokeLeavesAndOneComesAgain() throws IOException {
        String order = Files.readString(MODELS.resolve("services/l3vpn/examples/northsound-ferries.yaml"));
        String alone = order.substring(0, order.indexOf("        - name: long-pier"));
        Trial trial = Trial.of(Catalog.read(MODELS), MODELS.resolve("demo/network.yaml"), MODELS.resolve("demo/devices"));
        assertThatThrownBy(() -> trial.plan(alone)).hasMessageContaining("head-office is a hub, but no site is a spoke");
        trial.done(order);
        Map<String, String> whole = trial.configurations();
        trial.done(alone);
        assertThat(trial.configurations().get("olvar-pe1")).doesNotContain("VPN-1001");
        trial.done(order);
        assertThat(trial.configurations()).isEqualTo(whole);
    }

    /** Each rule is held by itself, also over an order that another rule refuses. */
    @Test
    void oneRuleIsHeldOverAnOrder() throws IOException {
        String order = Files.readString(MODELS.resolve("services/l3vpn/examples/northsound-ferries.yaml"));
        Trial trial = Trial.of(Catalog.read(MODELS), MODELS.resolve("demo/network.yaml"), MODELS.resolve("demo/devices"));
        String hubs = trial.rules(order.replace("role: spoke", "role: hub").replace("multihomed_with: head-office", "multihomed_with: elsewhere"), Optional.empty());
        int number = Integer.parseInt(hubs.lines().filter(line -> line.contains("head-office is a hub, but no site is a spoke")).findFirst().orElseThrow().replaceFirst(" *require/(\\d+).*", "$1"));
        assertThat(trial.rules(order.replace("role: spoke", "role: hub").replace("multihomed_with: head-office", "multihomed_with: elsewhere"), Optional.of(number))).isEqualTo("""
                northsound-tickets (l3vpn)
                  require/%-18d refuses  /services/0/parameters/sites/0/role: head-office is a hub, but no site is a spoke; add a spoke, or use the role any
                                                      /services/0/parameters/sites/1/role: head-office-2 is a hub, but no site is a spoke; add a spoke, or use the role any
                                                      /services/0/parameters/sites/2/role: long-pier is a hub, but no site is a spoke; add a spoke, or use the role any
                                                      /services/0/parameters/sites/3/role: chapel-lane is a hub, but no site is a spoke; add a spoke, or use the role any
                                                      /services/0/parameters/sites/4/role: lighthouse is a hub, but no site is a spoke; add a spoke, or use the role any""".formatted(number));
        // Those of a shared set are held each by itself too, and shown with their model's.
        assertThat(trial.rules(order, Optional.of(1)).lines().toList()).satisfiesExactly(line -> assertThat(line).startsWith("northsound-tickets"),
                line -> assertThat(line).startsWith("  require/1 one-tag/0        holds    5 times: "));
        assertThat(trial.rules(order, Optional.empty())).contains(" not used ").doesNotContain("  refuses  ");
    }

    private static List<ModelTests.Outcome> outcomes(Catalog catalog, Path folder) {
        try {
            List<ModelTests.Outcome> outcomes = new ModelTests(catalog, MODELS, folder).run(false);
            assertThat(outcomes).as(folder.toString()).isNotEmpty();
            return outcomes;
        } catch (IOException e) {
            throw new java.io.UncheckedIOException(e);
        }
    }
}
