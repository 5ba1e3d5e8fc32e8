package rilvan.lab.lines;

import java.time.Duration;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;
import java.util.function.Function;
import rilvan.lab.device.Device;
import rilvan.lab.device.Faults;

/** A device that takes one line after the other, and holds each at once: no locks, no transactions, and it must be told to save. */
public final class LineDevice implements Device {

    private static final String DROP = "drop ";

    private final String name;
    private final Runnable onChanged;
    private final Consumer<String> save;
    private final Faults faults = new Faults(this::ends, this::restart);
    private final Map<Integer, Runnable> sessions = new HashMap<>();
    private final Grammar grammar;
    private Block running;
    private String saved;
    private int lastSession;

    /**
     * @param start what it holds when it is switched on
     * @param onChanged called after each line that changes something
     * @param save called with what would outlast a restart
     */
    public LineDevice(String name, Grammar grammar, String start, Runnable onChanged, Consumer<String> save) {
        this.name = name;
        this.onChanged = onChanged;
        this.save = save;
        this.grammar = grammar;
        this.running = read(name, grammar, start);
        this.saved = running.text();
    }

    /** What it has written itself: lines of one block stand in the order of the grammar there, so that some name what comes later. */
    private static Block read(String name, Grammar grammar, String text) {
        Block device = Block.empty(name, grammar);
        take(device, text, Block.Names.LATER_TOO);
        return device;
    }

    /** Takes lines, each in the block that its indentation says. */
    private static void take(Block device, String text, Block.Names names) {
        Deque<Block> open = new ArrayDeque<>(List.of(device));
        for (String line : text.split("\n")) {
            if (line.isBlank()) {
                continue;
            }
            int depth = line.length() - line.stripLeading().length();
            while (open.size() > depth + 1) {
                open.pop();
            }
            if (line.strip().startsWith(DROP)) {
                open.element().drop(line.strip().substring(DROP.length()), device);
            } else {
                open.element().say(line.strip(), device, names).ifPresent(open::push);
            }
        }
    }

    @Override
    public synchronized void typed(String text) {
        try {
            take(running, text, Block.Names.WHAT_IS_THERE);
        } finally {
            onChanged.run();
        }
    }

    @Override
    public String name() {
        return name;
    }

    @Override
    public synchronized String running() {
        return running.shown();
    }

    synchronized String saved() {
        return read(name, grammar, saved).shown();
    }

    @Override
    public Faults faults() {
        return faults;
    }

    private synchronized List<Runnable> ends() {
        return List.copyOf(sessions.values());
    }

    private synchronized void restart() {
        running = read(name, grammar, saved);
        onChanged.run();
    }

    @Override
    public void lockedByAnother(Duration time) {
        throw new Block.Refusal(name + " has no locks: its sessions change it side by side");
    }

    /** Reads what it holds, while nobody changes it. */
    public synchronized <T> T reading(Function<Block, T> reading) {
        return reading.apply(running);
    }

    /** Where a session that changes the configuration begins. */
    synchronized Block top() {
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

    private void trip(Faults.FaultPoint step) {
        faults.trip(step).ifPresent(fault -> {
            throw new Block.Refusal(fault.message());
        });
    }

    synchronized void keep() {
        trip(Faults.FaultPoint.SAVE);
        saved = running.text();
        save.accept(saved);
    }

    /** Does something with what it holds, one session at a time, and tells whoever has to know. */
    synchronized <T> T change(Function<Block, T> change) {
        trip(Faults.FaultPoint.EDIT);
        T result = change.apply(running);
        onChanged.run();
        return result;
    }
}
