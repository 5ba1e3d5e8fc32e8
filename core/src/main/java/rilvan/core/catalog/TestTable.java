package rilvan.core.catalog;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.Folder;
import rilvan.core.document.KnownNames;

/**
 * The tests of a service model, as its author writes them in {@code tests.yaml}. Orders are named by the files in {@code examples/}; one of another model as {@code MODEL/NAME}.
 *
 * @param works orders whose native lines stand in {@code expected/}, each the last of a list of orders that are done one after the other
 * @param refused orders that are refused
 */
public record TestTable(List<List<String>> works, List<Refusal> refused) {

    /** The file of a model's folder that it is read from. */
    public static final String FILE = "tests.yaml";

    private static final Pattern EXAMPLE = Pattern.compile("examples/([^/]+)\\.yaml");

    /** An order that is refused: after others, an example with something changed in it, and what is said. */
    public record Refusal(List<String> after, String order, Map<String, Object> change, String says) {}

    /**
     * @param folder of the model
     * @throws rilvan.core.document.ValidationFailure naming every field at fault, orders that there are no examples of among them
     */
    public static TestTable read(Folder folder) {
        DocumentReader reader = new DocumentReader(Document.read(folder.text(FILE).orElse("{}")));
        Fields root = reader.root("works", "refused");
        List<List<String>> works = new ArrayList<>();
        for (Object each : root.list("works")) {
            works.add(each instanceof List<?> several ? several.stream().map(String::valueOf).toList() : List.of(String.valueOf(each)));
        }
        for (int i = 0; i < works.size(); i++) {
            known(works.get(i), folder, "/works/" + i, reader);
        }
        List<Refusal> refused = new ArrayList<>();
        for (Fields each : root.each("refused", "after", "order", "change", "says")) {
            Refusal refusal = new Refusal(each.texts("after"), each.text("order"), each.open("change"), each.text("says"));
            known(refusal.after(), folder, each.pointer() + "/after", reader);
            known(List.of(refusal.order()), folder, each.pointer() + "/order", reader);
            refused.add(refusal);
        }
        reader.finish();
        return new TestTable(works, refused);
    }

    private static void known(List<String> orders, Folder folder, String pointer, DocumentReader reader) {
        SortedMap<String, String> examples = examples(folder);
        for (String order : orders) {
            if (!order.isEmpty() && !order.contains("/") && !examples.containsKey(order)) {
                reader.refuse(pointer, "there is no order '" + order + "' in examples/; " + KnownNames.instead(order, examples.keySet()));
            }
        }
    }

    /** The files of a model's folder that have orders, by the names that its tests have for them. */
    static SortedMap<String, String> examples(Folder folder) {
        SortedMap<String, String> examples = new TreeMap<>();
        folder.texts().keySet().stream().map(EXAMPLE::matcher).filter(Matcher::matches).forEach(found -> examples.put(found.group(1), found.group()));
        return examples;
    }
}
