package rilvan.lab.lines;

import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import rilvan.lab.ssh.StreamedCommand;

/**
 * One session on a device's command line, for programs and for people: it echoes what is typed, has a mode for changing the
 * configuration, and shows long answers a page at a time.
 */
public final class Shell extends StreamedCommand {

    private static final int PAGE = 22;
    private static final String MORE = "-- more --";
    private static final String PING = "ping ADDRESS [from ADDRESS] [in TABLE] [of BYTES]";
    private static final String FRAMES = "frames PORT PART TAGS to NODE PORT PART TAGS [of BYTES]";
    private static final int SMALLEST = 64;
    private static final List<String> HELP = List.of(
            "list running          what the device holds", "list saved            what it will hold after a restart",
            "change                change what it holds, line by line", "keep                  save what it holds",
            PING, "way NAME to ADDRESS   how a wire or bridge stands towards another device",
            FRAMES, "port PORT             how a port and its link stand", "route PREFIX in TABLE  whether a table has a route to it", "sessions              who is signed in",
            "end session NUMBER    end somebody else's session", "pages on|off          show long answers a page at a time",
            "bye                   leave");
    private static final List<String> CHANGE_HELP = List.of("drop LINE             take a line away",
            "exit                  leave this block", "done                  stop changing", "and the lines of this block:");

    /** What becomes of what a device sends; the network it goes through is somebody else's business. */
    public interface Surroundings {

        /** Why no answer to a ping comes; absent where one does. */
        Optional<String> unanswered(String from, String table, Optional<String> source, String to, int bytes);

        /** Why the way of a wire or bridge to another device is down; absent where it is up. */
        Optional<String> down(String device, String name, String address);

        /** What there is to say of a port and its link. */
        List<String> port(String device, String port);

        /** Why a table has no route to just a prefix; absent where it has. */
        Optional<String> missing(String device, String table, String prefix);

        /** Why test frames do not come back; absent where they do. Both ends are a device, a port, a part and tags. */
        Optional<String> lost(List<String> from, List<String> to, int bytes);
    }

    private final LineDevice device;
    private final Surroundings network;
    private final StringBuilder typed = new StringBuilder();
    private final List<String> unshown = new ArrayList<>();
    private final Deque<Block> blocks = new ArrayDeque<>();
    private int session;
    private boolean paging = true;
    private boolean afterReturn;
    private boolean busy;

    /**
     * @param delayMillis how long the device takes for a line
     */
    public Shell(LineDevice device, Surroundings network, ScheduledExecutorService timer, long delayMillis) {
        super(device, timer, delayMillis);
        this.device = device;
        this.network = network;
    }

    @Override
    protected void begin() {
        session = device.enter(this::finish);
        write("This is " + device.name() + ", session " + session + ". ? helps.\r\n" + prompt());
    }

    @Override
    protected void leave() {
        device.leave(session);
    }

    @Override
    protected boolean hear(byte[] bytes, int from, int length) {
        hear(new String(bytes, from, length, StandardCharsets.UTF_8));
        return true;
    }

    private synchronized void hear(String text) {
        for (char key : text.toCharArray()) {
            boolean secondOfPair = key == '\n' && afterReturn;
            afterReturn = key == '\r';
            if (!secondOfPair) {
                typed.append(key == '\r' ? '\n' : key);
                if (unshown.isEmpty()) {
                    echo(key);
                }
            }
        }
        next();
    }

    /** Takes the next key of a page, or the next whole line: one is done before the next is looked at. */
    private void next() {
        while (!busy && !isOver() && typed.length() > 0) {
            if (!unshown.isEmpty()) {
                boolean enough = typed.charAt(0) == 'q';
                typed.deleteCharAt(0);
                write("\r" + " ".repeat(MORE.length()) + "\r");
                if (enough) {
                    unshown.clear();
                }
                page();
                continue;
            }
            erase();
            int end = typed.indexOf("\n");
            if (end < 0) {
                return;
            }
            String line = typed.substring(0, end).strip().replaceAll(" +", " ");
            typed.delete(0, end + 1);
            busy = true;
            later(() -> act(line));
        }
    }

    private void echo(char key) {
        write(key == '\r' || key == '\n' ? "\r\n" : key == '\b' || key == 127 ? "\b \b" : Character.toString(key));
    }

    private void erase() {
        for (int i = 0; i < typed.length(); i++) {
            if (typed.charAt(i) == '\b' || typed.charAt(i) == 127) {
                typed.delete(Math.max(0, i - 1), i + 1);
                i = Math.max(-1, i - 2);
            }
        }
    }

    private synchronized void act(String line) {
        if (isOver()) {
            return;
        }
        List<String> answer;
        try {
            answer = line.isEmpty() ? List.of() : blocks.isEmpty() ? command(line) : statement(line);
        } catch (Block.Refusal e) {
            answer = List.of("refused: " + e.getMessage());
        }
        busy = false;
        if (isOver()) {
            return;
        }
        unshown.addAll(answer);
        page();
        next();
    }

    private void page() {
        int lines = paging ? Math.min(PAGE, unshown.size()) : unshown.size();
        StringBuilder text = new StringBuilder();
        unshown.subList(0, lines).forEach(each -> text.append(each).append("\r\n"));
        unshown.subList(0, lines).clear();
        write(text + (unshown.isEmpty() ? prompt() : MORE));
    }

    private String prompt() {
        if (blocks.isEmpty()) {
            return device.name() + "> ";
        }
        String block = blocks.element().line();
        return device.name() + " (change" + (block.isEmpty() ? "" : " " + block.split(" ")[0]) + ")> ";
    }

    private List<String> command(String line) {
        String[] words = line.split(" ");
        switch (words[0]) {
            case "?", "help":
                return HELP;
            case "list":
                if (line.equals("list running") || line.equals("list saved")) {
                    return (line.endsWith("saved") ? device.saved() : device.running()).lines().toList();
                }
                break;
            case "pages":
                if (line.equals("pages on") || line.equals("pages off")) {
                    paging = line.endsWith("on");
                    return List.of();
                }
                break;
            case "change":
                blocks.push(device.top());
                return List.of();
            case "keep":
                device.keep();
                return List.of();
            case "sessions":
                return device.sessions().stream().map(each -> "session " + each + (each == session ? " (this one)" : "")).toList();
            case "end":
                if (line.matches("end session \\d{1,9}")) {
                    device.end(Integer.parseInt(words[2]));
                    return List.of();
                }
                break;
            case "ping":
                return List.of(ping(words));
            case "way":
                if (words.length == 4 && words[2].equals("to") && Values.fits("<address>", words[3])) {
                    return List.of(network.down(device.name(), words[1], words[3]).map("the way is down: "::concat).orElse("the way is up"));
                }
                break;
            case "port":
                if (words.length == 2) {
                    return network.port(device.name(), words[1]);
                }
                break;
            case "route":
                if (words.length == 4 && words[2].equals("in") && Values.fits("<prefix>", words[1])) {
                    return List.of(network.missing(device.name(), words[3], words[1]).map("the route is missing: "::concat).orElse("the route is there"));
                }
                break;
            case "frames":
                return List.of(frames(line, words));
            case "bye":
                finish();
                return List.of();
            default:
                throw new Block.Refusal("there is no '" + words[0] + "' here; ? lists what there is");
        }
        throw new Block.Refusal("not understood; ? helps");
    }

    private String ping(String[] words) {
        Optional<String> source = Optional.empty();
        String table = "";
        int bytes = SMALLEST;
        for (int i = 2; i + 1 < words.length; i += 2) {
            if (words[i].equals("from")) {
                source = Optional.of(words[i + 1]);
            } else if (words[i].equals("in")) {
                table = words[i + 1];
            } else if (words[i].equals("of") && words[i + 1].matches("\\d{1,4}")) {
                bytes = Integer.parseInt(words[i + 1]);
            } else {
                throw new Block.Refusal("not understood; write: " + PING);
            }
        }
        if (words.length < 2 || !Values.fits("<address>", words[1])) {
            throw new Block.Refusal("not understood; write: " + PING);
        }
        return "3 sent, " + network.unanswered(device.name(), table, source, words[1], bytes).map("0 received: "::concat).orElse("3 received");
    }

    private String frames(String line, String[] words) {
        if (!line.matches("frames \\S+ \\d{1,8} \\S+ to \\S+ \\S+ \\d{1,8} \\S+( of \\d{1,4})?")) {
            throw new Block.Refusal("not understood; write: " + FRAMES);
        }
        int bytes = words.length > 9 ? Integer.parseInt(words[10]) : SMALLEST;
        return "3 sent, " + network.lost(List.of(device.name(), words[1], words[2], words[3]), List.of(words[5], words[6], words[7], words[8]), bytes)
                .map("0 received: "::concat).orElse("3 received");
    }

    private List<String> statement(String line) {
        Block here = blocks.element();
        switch (line) {
            case "?", "help":
                List<String> help = new ArrayList<>(CHANGE_HELP);
                here.forms().forEach(form -> help.add("  " + form.usage()));
                return help;
            case "exit":
                blocks.pop();
                return List.of();
            case "done":
                blocks.clear();
                return List.of();
            default:
                if (line.startsWith("drop ")) {
                    device.change(all -> {
                        here.drop(line.substring("drop ".length()), all);
                        return null;
                    });
                } else {
                    device.change(all -> here.say(line, all)).ifPresent(blocks::push);
                }
                return List.of();
        }
    }

    private void write(String text) {
        write(text.getBytes(StandardCharsets.UTF_8));
    }
}
