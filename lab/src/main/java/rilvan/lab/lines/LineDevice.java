package rilvan.lab.lines;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import java.util.function.Function;
import rilvan.lab.device.Device;
import rilvan.lab.device.Faults;
import rilvan.lab.lines.Grammar.Form;

/** A device that takes one line after the other, and holds each at once: no locks, no transactions, and it must be told to save. */
public final class LineDevice implements Device {

    private final String name;
    private final Grammar grammar;
    private final Runnable onChanged;
    private final Consumer<String> save;
    private final Faults faults = new Faults();
    private final Map<Integer, Runnable> sessions = new HashMap<>();
    private final Block running;
    private String saved;
    private int lastSession;

    /**
     * @param start what it holds when it is switched on
     * @param onChanged called after each line that changes something
     * @param save called with what would outlast a restart
     */
    public LineDevice(String name, Grammar grammar, String start, Runnable onChanged, Consumer<String> save) {
        this.name = name;
        this.grammar = grammar;
        this.onChanged = onChanged;
        this.save = save;
        this.running = read(start);
        this.saved = running.text();
    }

    private Block read(String text) {
        Block device = Block.empty();
        List<Block> open = new ArrayList<>(List.of(device));
        List<List<Form>> forms = new ArrayList<>(List.of(grammar.forms()));
        for (String line : text.split("\n")) {
            if (line.isBlank()) {
                continue;
            }
            int depth = line.length() - line.stripLeading().length();
            while (open.size() > depth + 1) {
                open.remove(open.size() - 1);
                forms.remove(forms.size() - 1);
            }
            List<Form> level = forms.get(forms.size() - 1);
            String said = line.strip();
            open.get(open.size() - 1).say(said, level, device).ifPresent(block -> {
                open.add(block);
                forms.add(below(level, said));
            });
        }
        return device;
    }

    static List<Form> below(List<Form> level, String line) {
        return level.stream().filter(form -> form.match(line).isPresent()).findFirst().orElseThrow().below();
    }

    @Override
    public String name() {
        return name;
    }

    @Override
    public synchronized String running() {
        return running.text();
    }

    synchronized String saved() {
        return saved;
    }

    @Override
    public Faults faults() {
        return faults;
    }

    Grammar grammar() {
        return grammar;
    }

    /** Reads what it holds, while nobody changes it. */
    public synchronized <T> T reading(Function<Block, T> reading) {
        return reading.apply(running);
    }

    /** Where a session that changes the configuration begins. */
    Block top() {
        return running;
    }

    synchronized int enter(Runnable end) {
        sessions.put(++lastSession, end);
        return lastSession;
    }

    synchronized void leave(int session) {
        sessions.remove(session);
    }

    synchronized List<Integer> sessions() {
        return sessions.keySet().stream().sorted().toList();
    }

    void end(int session) {
        Runnable end;
        synchronized (this) {
            end = sessions.remove(session);
        }
        if (end == null) {
            throw new Block.Refusal("no such session " + session);
        }
        end.run();
    }

    synchronized void keep() {
        faults.trip(Faults.Step.SAVE).ifPresent(message -> {
            throw new Block.Refusal(message);
        });
        saved = running.text();
        save.accept(saved);
    }

    /** Does something with what it holds, one session at a time, and tells whoever has to know. */
    synchronized <T> T change(Function<Block, T> change) {
        faults.trip(Faults.Step.EDIT).ifPresent(message -> {
            throw new Block.Refusal(message);
        });
        T result = change.apply(running);
        onChanged.run();
        return result;
    }
}
