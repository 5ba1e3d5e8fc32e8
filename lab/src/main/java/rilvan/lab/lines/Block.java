package rilvan.lab.lines;

import java.util.Collection;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.BiFunction;
import rilvan.lab.lines.Grammar.Form;
import rilvan.lab.lines.Grammar.RuleKind;

/**
 * A block of lines: those of one device, or those inside a line of its own. Changed in place; the device that holds it sees
 * to it that one session at a time does.
 */
public final class Block {

    private final String line;
    private final List<String> values;
    private final List<Form> forms;
    private final Map<SortKey, Block> below = new TreeMap<>();

    /** Where a line stands in its block: in the order of the grammar, then by what tells it from others. */
    private record SortKey(int rank, String key) implements Comparable<SortKey> {
        @Override
        public int compareTo(SortKey other) {
            return rank != other.rank ? Integer.compare(rank, other.rank) : key.compareTo(other.key);
        }
    }

    /** What a line may name: what is there, or what comes later in the same text, too. */
    enum Names {
        WHAT_IS_THERE, LATER_TOO
    }

    /** A line that is not taken; the message says why. */
    static final class Refusal extends RuntimeException {
        Refusal(String message) {
            super(message);
        }
    }

    private Block(String line, List<String> values, List<Form> forms) {
        this.line = line;
        this.values = values;
        this.forms = forms;
    }

    /** A device that holds nothing; its own name is the line of the outermost block. */
    static Block empty(String device, Grammar grammar) {
        return new Block(device, List.of(), grammar.forms());
    }

    /** The forms of line that may stand in it. */
    List<Form> forms() {
        return forms;
    }

    /** The line itself. */
    public String line() {
        return line;
    }

    /** What the gaps of the line say. */
    public List<String> values() {
        return values;
    }

    /** Lines of this block that begin with a word. */
    public List<Block> all(String word) {
        return below.values().stream().filter(each -> each.line.equals(word) || each.line.startsWith(word + " ")).toList();
    }

    /** The first gap of the line that begins with a word; empty where there is none. */
    public String value(String word) {
        return all(word).stream().findFirst().map(each -> each.values.isEmpty() ? word : each.values.get(0)).orElse("");
    }

    Collection<Block> lines() {
        return Collections.unmodifiableCollection(below.values());
    }

    /**
     * Takes a line.
     *
     * @return the block it opens, if it opens one
     * @throws Refusal where it is not taken
     */
    Optional<Block> say(String text, Block device) {
        return say(text, device, Names.WHAT_IS_THERE);
    }

    Optional<Block> say(String text, Block device, Names names) {
        Form form = form(text);
        List<String> said = form.match(text).orElseThrow();
        form.fault(said).ifPresent(fault -> {
            throw new Refusal(fault);
        });
        if (names == Names.WHAT_IS_THERE && !form.needs().isEmpty() && device.all(form.needs()).stream().noneMatch(each -> each.values.get(0).equals(said.get(0)))) {
            throw new Refusal("there is no " + form.needs() + " " + said.get(0));
        }
        if (form.ignored()) {
            return Optional.empty();
        }
        SortKey place = new SortKey(forms.indexOf(form), form.key(said));
        Block before = below.get(place);
        if (form.kind() == RuleKind.BLOCK) {
            return Optional.of(below.computeIfAbsent(place, at -> new Block(text, said, form.below())));
        }
        boolean changes = before == null || !before.line.equals(text);
        if (changes && before != null && form.shown(before.line, device.line).equals(text)) {
            // The hash that is shown of what is there: the secret itself is kept.
            return Optional.empty();
        }
        if (changes && !form.clears().isEmpty()) {
            all(form.clears()).forEach(cleared -> below.values().remove(cleared));
        }
        if (!form.byDefault().isEmpty() && said.get(0).equals(form.byDefault())) {
            below.remove(place);
        } else {
            below.put(place, new Block(text, said, form.below()));
        }
        return Optional.empty();
    }

    /** Takes a line away; what is not there, or is needed elsewhere, is refused. */
    void drop(String text, Block device) {
        Form form = form(text);
        List<String> said = form.match(text).orElseThrow();
        SortKey place = new SortKey(forms.indexOf(form), form.key(said));
        Block before = below.get(place);
        if (before == null) {
            throw new Refusal("there is no " + text + " here");
        }
        if (form.kind() == RuleKind.BLOCK && this == device) {
            device.user(form.words().get(0), said.get(0)).ifPresent(user -> {
                throw new Refusal(text + " is used by " + user);
            });
        }
        below.remove(place);
        if (!form.clears().isEmpty()) {
            all(form.clears()).forEach(cleared -> below.values().remove(cleared));
        }
    }

    private Optional<String> user(String word, String name) {
        for (Block block : lines()) {
            for (Block inside : block.lines()) {
                if (inside.line.startsWith(word + " ") && !inside.values.isEmpty() && inside.values.get(0).equals(name) && inside.lines().isEmpty()) {
                    return Optional.of(block.line);
                }
            }
        }
        return Optional.empty();
    }

    private Form form(String text) {
        return forms.stream().filter(form -> form.match(text).isPresent()).findFirst().orElseThrow(() -> {
            String word = text.split(" ")[0];
            Optional<Form> near = forms.stream().filter(form -> form.words().get(0).equals(word)).findFirst();
            return new Refusal(near.map(form -> "write it as: " + form.usage()).orElse("there is no '" + word + "' here; ? lists what there is"));
        });
    }

    /** All lines as they were given, one blank of indentation a level. */
    String text() {
        return text((form, line) -> line);
    }

    /** All lines of a device as it shows them. */
    String shown() {
        return text((form, text) -> form.shown(text, line));
    }

    private String text(BiFunction<Form, String, String> how) {
        StringBuilder text = new StringBuilder();
        write(text, "", how);
        return text.toString();
    }

    private void write(StringBuilder text, String indent, BiFunction<Form, String, String> how) {
        below.forEach((place, each) -> {
            text.append(indent).append(how.apply(forms.get(place.rank()), each.line)).append('\n');
            each.write(text, indent + " ", how);
        });
    }
}
