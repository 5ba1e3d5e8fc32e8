package rilvan.kit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import rilvan.core.catalog.Catalog;
import rilvan.core.catalog.TestTable;
import rilvan.core.catalog.TestTable.Refusal;
import rilvan.core.document.Document;
import rilvan.core.document.Folder;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.ServiceModel;
import rilvan.core.plan.Plan;

/**
 * The tests of a service model, tables that its author writes in its {@code tests.yaml}: orders whose native lines stand
 * in {@code expected/}, and orders that are refused, with what is said.
 */
public final class ModelTests {

    private final Catalog catalog;
    private final Path models;
    private final Path folder;

    /** What became of one test; a failure is empty where it passed. */
    public record Outcome(String test, String failure) {
        public boolean passed() {
            return failure.isEmpty();
        }
    }

    /**
     * @param models folder of the models, with the network that is tested against in {@code demo/}
     * @param folder the service model's own folder
     */
    public ModelTests(Catalog catalog, Path models, Path folder) {
        this.catalog = catalog;
        this.models = models;
        this.folder = folder;
    }

    /**
     * Runs all tests of the model.
     *
     * @param accept whether what comes out is what is expected from now on
     * @throws ValidationFailure where the table itself is wrong
     */
    public List<Outcome> run(boolean accept) throws IOException {
        TestTable table = table();
        List<Outcome> outcomes = new ArrayList<>();
        for (List<String> orders : table.works()) {
            outcomes.add(work(orders, accept));
        }
        for (Refusal refusal : table.refused()) {
            outcomes.add(refuse(refusal));
        }
        return outcomes;
    }

    private TestTable table() throws IOException {
        return TestTable.read(Folder.read(folder));
    }

    /**
     * Tries other parameters than those of the examples. Most are refused by a rule or done; neither is a fault.
     *
     * @return what went wrong for a reason of the model's or a dialect's own, by the message, each with an order that shows it
     */
    public Map<String, String> vary(int count, Random random) throws IOException {
        List<List<String>> works = table().works();
        ServiceModel model = catalog.latest(folder.getFileName().toString()).orElseThrow();
        Map<String, String> faults = new LinkedHashMap<>();
        for (List<String> orders : works) {
            after(orders.subList(0, orders.size() - 1)).vary(example(orders.get(orders.size() - 1)), model, count / works.size() + 1, random).forEach(faults::putIfAbsent);
        }
        return faults;
    }

    private Trial after(List<String> orders) throws IOException {
        Trial trial = Trial.of(catalog, models.resolve("demo/network.yaml"), models.resolve("demo/devices"));
        for (String order : orders) {
            trial.done(example(order));
        }
        return trial;
    }

    /** An example of this model, or, as {@code MODEL/NAME}, of another one. */
    private String example(String name) throws IOException {
        String[] parts = name.split("/");
        Path of = parts.length == 2 ? folder.resolveSibling(parts[0]) : folder;
        return Files.readString(of.resolve("examples").resolve(parts[parts.length - 1] + ".yaml"));
    }

    private Outcome work(List<String> orders, boolean accept) throws IOException {
        String last = orders.get(orders.size() - 1);
        Path expected = folder.resolve("expected").resolve(last + ".txt");
        try {
            Plan plan = after(orders.subList(0, orders.size() - 1)).plan(example(last));
            String lines = Trial.lines(plan);
            if (accept) {
                Files.createDirectories(expected.getParent());
                Files.writeString(expected, lines);
            }
            String wanted = Files.exists(expected) ? Files.readString(expected) : "";
            return new Outcome(last, lines.equals(wanted) ? "" : "the result differs from " + expected + ":\n" + firstDifference(wanted, lines));
        } catch (ValidationFailure e) {
            return new Outcome(last, "is refused: " + e.getMessage());
        }
    }

    private static String firstDifference(String wanted, String found) {
        List<String> one = wanted.lines().toList();
        List<String> two = found.lines().toList();
        int at = 0;
        while (at < one.size() && at < two.size() && one.get(at).equals(two.get(at))) {
            at++;
        }
        return "  line " + (at + 1) + " is: " + (at < two.size() ? two.get(at) : "(no line)") + "\n  expected: " + (at < one.size() ? one.get(at) : "(no line)");
    }

    private Outcome refuse(Refusal refusal) throws IOException {
        String text = example(refusal.order());
        String test = refusal.order() + " with " + refusal.change();
        for (Map.Entry<String, Object> each : refusal.change().entrySet()) {
            int at = text.indexOf(each.getKey());
            if (at < 0) {
                return new Outcome(test, "there is no '" + each.getKey() + "' in " + refusal.order());
            }
            text = text.substring(0, at) + each.getValue() + text.substring(at + each.getKey().length());
        }
        try {
            after(refusal.after()).plan(text);
            return new Outcome(test, "is not refused; expected: " + refusal.says());
        } catch (ValidationFailure e) {
            List<String> problems = e.problems().stream().map(Object::toString).toList();
            return new Outcome(test, problems.contains(refusal.says()) ? "" : "is refused otherwise:\n  " + String.join("\n  ", problems) + "\n  expected: " + refusal.says());
        } catch (Document.Malformed e) {
            return new Outcome(test, "is no document: " + e.getMessage());
        }
    }
}
