package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Map;
import java.util.Random;
import java.util.SortedMap;
import java.util.TreeMap;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;

/** What no type tells and no rule refuses is found by trying: a model that fails for a reason of its own. */
class ModelTrialTest {

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '~', textBlock = """
        l2vpn | one: "=ends[0]"                                   | one: "=ends[0]"                       | 0
        l2vpn | one: "=ends[0]"                                   | one: "=ends[7]"                       | 7
        l2vpn | backup.size() == 0 ? '' : devices[backup[0].device].loopback | devices[backup[0].device].loopback | backup
        l2vpn | "=rate > 0", within                               | "=1000 / rate > 0", within            | rate
        """)
    void aModelThatCannotBeWorkedOutIsFound(String name, String from, String to, String named) {
        String text = Shipped.text("services/" + name + "/model.yaml");
        assertThat(text).contains(from);
        ServiceModel model = ModelReader.read(text.replace(from, to), Shipped.VOCABULARY, Map.of());
        SortedMap<Integer, ServiceModel> versions = new TreeMap<>(Map.of(model.version(), model));
        Catalog catalog = new Catalog(Shipped.VOCABULARY, Map.of(name, versions), Shipped.CATALOG.dialects());
        Map<String, String> nothing = new TreeMap<>();
        Shipped.SKERRA.devices().keySet().forEach(device -> nothing.put(device, ""));
        ModelTrial trial = new ModelTrial(new InMemoryPlanningSource(catalog, Shipped.SKERRA, nothing), new Random(1));
        trial.vary(Document.read(Shipped.text("services/l2vpn/examples/kelp-works-wire.yaml")).value(), model, 100);
        if (from.equals(to)) {
            assertThat(trial.faults()).isEmpty();
        } else {
            assertThat(trial.faults().keySet()).anyMatch(fault -> fault.contains("cannot be worked out for these parameters") && fault.contains(named));
        }
    }
}
