package rilvan.core.draft;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;

class ChangesTest {

    private static final String START = "{rate: 100, sites: [{name: haven, port: p1, dns: [a, b]}, {name: skarn, port: p2}]}";

    @SuppressWarnings("unchecked")
    private static Map<String, Object> document(String text) {
        return (Map<String, Object>) Document.read(text).value();
    }

    /** What was changed, value by value; an item that comes or goes is one value. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "{rate: 100, sites: [{name: skarn, port: p2}, {name: haven, port: p1, dns: [a, b]}]} | ",
        "{rate: 200, sites: [{name: haven, port: p1, dns: [a, b]}, {name: skarn, port: p2}]} | rate",
        "{sites: [{name: haven, port: p3, dns: [a]}, {name: skarn, port: p2}]} | rate sites/haven/port sites/haven/dns",
        "{rate: 100, sites: [{name: skarn, port: p2}, {name: olvar, port: p1}]} | sites/haven sites/olvar",
        "{rate: 100, sites: []} | sites",
        "{rate: 100, sites: [{port: p1}]} | sites"})
    void changesAreNamedByWhereTheyAre(String after, String places) {
        Changes changes = Changes.between(document(START), document(after));
        assertThat(String.join(" ", changes.values().stream().map(ValueChange::at).toList())).isEqualTo(places == null ? "" : places);
    }

    /** Whatever is made of a document is made of it again by the changes between the two; items may come in another sequence. */
    @Test
    void changesMakeOneDocumentOfAnother() {
        for (long seed = 1; seed <= 500; seed++) {
            Random random = new Random(seed);
            Map<String, Object> before = some(random);
            Map<String, Object> after = some(random);
            Map<String, Object> made = Changes.between(before, after).appliedTo(before);
            assertThat(Changes.between(made, after).values()).as("seed %d", seed).isEmpty();
        }
    }

    private static Map<String, Object> some(Random random) {
        Map<String, Object> fields = new LinkedHashMap<>();
        for (String name : List.of("a", "b", "c")) {
            switch (random.nextInt(5)) {
                case 0 -> fields.put(name, (long) random.nextInt(3));
                case 1 -> fields.put(name, Map.of("x", (long) random.nextInt(3)));
                case 2 -> fields.put(name, random.ints(random.nextInt(3), 0, 3).mapToObj(each -> (Object) ("s" + each)).toList());
                case 3 -> fields.put(name, random.ints(1 + random.nextInt(3), 0, 4).distinct().mapToObj(each -> (Object) Map.of("name", "n" + each, "x", (long) random.nextInt(2))).toList());
                default -> { }
            }
        }
        return fields;
    }

    /** Two people change one document: what one did not touch is as the other has it, and what both changed differently is named. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "{rate: 200} | {sites: []} | rate 200, sites [] | ",
        "{rate: 200} | {rate: 200} | rate 200 | ",
        "{rate: 200} | {rate: 300} | | rate"})
    void twoPeopleChangeOneDocument(String mine, String theirs, String merged, String inTheWay) {
        Map<String, Object> start = document(START);
        Map<String, Object> ours = new LinkedHashMap<>(start);
        ours.putAll(document(mine));
        Map<String, Object> others = new LinkedHashMap<>(start);
        others.putAll(document(theirs));
        Meeting meeting = Meeting.of(start, ours, others);
        assertThat(String.join(" ", meeting.inTheWay().stream().map(ValueChange::at).toList())).isEqualTo(inTheWay == null ? "" : inTheWay);
        assertThat(meeting.merged(others).map(both -> Changes.between(start, both).values().stream().map(change -> change.at() + " " + change.after().orElseThrow()).toList())
                .map(all -> String.join(", ", all))).isEqualTo(Optional.ofNullable(merged));
    }

    /** A site that somebody removes is in the way of whoever changes it. */
    @Test
    void whoeverRemovesAnItemIsInTheWayOfWhoeverChangesIt() {
        Meeting meeting = Meeting.of(document(START), document("{rate: 100, sites: [{name: skarn, port: p2}]}"),
                document("{rate: 100, sites: [{name: haven, port: p9, dns: [a, b]}, {name: skarn, port: p2}]}"));
        assertThat(meeting.inTheWay()).extracting(ValueChange::at).containsExactly("sites/haven");
    }

    /** One value is set as its schema has it; what leads nowhere is named, with what there is. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "sites/haven/tag | 77 | 77",
        "sites/haven/device | | none",
        "sites/haven/bgp/limit | many | is no whole number",
        "sites/havn/tag | 77 | the nearest is haven",
        "sites/haven/tga | 77 | the nearest is tag",
        "sites/haven/tag/x | 77 | leads nowhere",
        "sites | 77 | is not one value; name one of its items",
        "sites/haven | 77 | is not one value; name one of its fields"})
    void oneValueIsSet(String at, String text, String expected) {
        Map<String, Object> parameters = document("{sites: [{name: haven, device: haven-pe1, tag: 1}]}");
        Map<String, Object> schema = Shipped.L3VPN.parameters().schema();
        Assignment assignment = new Assignment(at, text == null ? "" : text);
        if (expected.matches("\\d+|none")) {
            Changes made = Changes.between(parameters, assignment.in(parameters, schema));
            assertThat(made.values()).singleElement().satisfies(change -> assertThat(change.after().map(String::valueOf).orElse("none")).isEqualTo(expected));
        } else {
            assertThatThrownBy(() -> assignment.in(parameters, schema)).isInstanceOf(ValidationFailure.class).hasMessageContaining(expected);
        }
    }
}
