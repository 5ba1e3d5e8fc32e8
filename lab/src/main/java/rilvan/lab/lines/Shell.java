package rilvan.lab.lines;

import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.IntStream;
import rilvan.lab.device.Faults;
import rilvan.lab.device.Question;
import rilvan.lab.ssh.StreamedCommand;

/**
 * One session on a device's command line, for programs and for people: it echoes what is typed, has a mode for changing the
 * configuration, and shows long answers a page at a time.
 */
public final class Shell extends StreamedCommand {

    private static final int PAGE = 22;
    private static final String MORE = "-- more --";
    private static final Pattern TRACE = Pattern.compile("trace (\\S+)(?: from (\\S+))?(?: in (\\S+))?");
    private static final String HANDLES = "(\\S+) (\\d{1,8}) (\\S+)";
    private static final String BYTES = "(?: of (\\d{1,4}))?";

    /**
     * A question as it is typed.
     *
     * @param usage how to write it
     * @param form what fits it, with a group for each thing that {@link Question} has, in that order
     * @param yes what is answered where it is so
     * @param no what is answered where it is not, before the reason
     */
    private record Asking(String usage, String help, Question question, Pattern form, String yes, String no) {

        Asking(String usage, String help, Question question, String form, String yes, String no) {
            this(usage, help, question, Pattern.compile(form), yes, no);
        }
    }

    private static final List<Asking> ASKINGS = List.of(
            new Asking("ping ADDRESS [from ADDRESS] [in TABLE] [of BYTES]", "", Question.PING, "ping (\\S+)(?: from (\\S+))?(?: in (\\S+))?" + BYTES,
                    "3 sent, 3 received", "3 sent, 0 received: "),
            new Asking("connect ADDRESS PORT [from ADDRESS] [in TABLE]", "", Question.CONNECT, "connect (\\S+) (\\d{1,5})(?: from (\\S+))?(?: in (\\S+))?",
                    "1 sent, 1 received", "1 sent, 0 received: "),
            new Asking("route PREFIX [in TABLE]", "whether a table has a route to it", Question.ROUTE, "route (\\S+)(?: in (\\S+))?", "the route is there", "the route is missing: "),
            new Asking("peer ADDRESS in TABLE", "whether a table exchanges routes with a neighbour", Question.SESSION, "peer (\\S+) in (\\S+)",
                    "the neighbour is up", "the neighbour is down: "),
            new Asking("routes-of ADDRESS in TABLE", "whether a table takes another device's routes", Question.EXCHANGE, "routes-of (\\S+) in (\\S+)",
                    "the table is advertised", "the table is not advertised: "),
            new Asking("sources TABLE [marks LIST] [targets LIST]", "whether a table imports routes of these only", Question.ORIGINS,
                    "sources (\\S+)(?: marks (\\S+))?(?: targets (\\S+))?", "the table has no other routes", "the table has other routes: "),
            new Asking("taken-from ADDRESS in TABLE NUMBER", "whether a table limits the prefixes of a peer to a number", Question.PREFIXES, "taken-from (\\S+) in (\\S+) (\\d{1,9})",
                    "the limit is set", "the limit is not set: "),
            new Asking("hosts NAME at NODE PORT PART", "whether a segment knows who is there", Question.HOSTS, "hosts (\\S+) at (\\S+) (\\S+) (\\d{1,8})",
                    "the bridge knows them", "the bridge does not: "),
            new Asking("way NAME to ADDRESS [flush]", "the state of a wire or bridge towards an address", Question.WIRE, "way (\\S+) to (\\S+)(?: (flush))?", "the way is up", "the way is down: "),
            new Asking("far-ends NAME [LIST]", "whether a wire or bridge leads to these only", Question.PEERS, "far-ends (\\S+)(?: (\\S+))?",
                    "there are no other far ends", "there are other far ends: "),
            new Asking("spare NAME to ADDRESS for ADDRESS [flush]", "whether one way replaces another when that fails", Question.STANDBY,
                    "spare (\\S+) to (\\S+) for (\\S+)(?: (flush))?", "the spare is ready", "the spare is not ready: "),
            new Asking("stations NAME NUMBER", "whether a bridge limits its addresses to a number", Question.STATIONS, "stations (\\S+) (\\d{1,9})",
                    "the limit is set", "the limit is not set: "),
            new Asking("frames PORT PART TAGS to NODE PORT PART TAGS [of BYTES]", "", Question.FRAMES, "frames " + HANDLES + " to (\\S+) " + HANDLES + BYTES,
                    "3 sent, 3 received", "3 sent, 0 received: "),
            new Asking("push PORT PART TAGS to NODE PORT PART TAGS [of BYTES]", "", Question.DELIVERY, "push " + HANDLES + " to (\\S+) " + HANDLES + BYTES,
                    "3 sent, 3 received", "3 sent, 0 received: "),
            new Asking("packets PORT PART TAGS ADDRESS to NODE PORT PART TAGS ADDRESS [of BYTES]", "", Question.ROUTED,
                    "packets " + HANDLES + " (\\S+) to (\\S+) " + HANDLES + " (\\S+)" + BYTES, "3 sent, 3 received", "3 sent, 0 received: "),
            new Asking("part PORT PART passes KBITS [as CLASS]", "whether a part of a port is limited to a rate", Question.TREATMENT,
                    "part (\\S+) (\\d{1,8}) passes (\\d{1,12})(?: as (\\S+))?", "the part does", "the part does not: "),
            new Asking("gateway NAME with ADDRESS as MAC in TABLE", "whether this is a segment's gateway", Question.GATEWAY,
                    "gateway (\\S+) with (\\S+) as (\\S+) in (\\S+)", "the gateway is here", "the gateway is not here: "),
            new Asking("relay NAME to ADDRESS", "whether requests of a segment's hosts get to a server", Question.RELAY, "relay (\\S+) to (\\S+)",
                    "the relay is on", "the relay is off: "),
            new Asking("bundle NAME of NUMBER with NODE", "whether ports work as one", Question.BUNDLE, "bundle (\\S+) of (\\d{1,2}) with (\\S+)",
                    "the bundle is whole", "the bundle is not whole: "));
    private static final int HELP_COLUMN = 23;
    private static final List<String> HELP = help();

    private static List<String> help() {
        List<String> help = new ArrayList<>(List.of("list running           what the device holds", "list saved             what it will hold after a restart",
                "change                 change what it holds, line by line", "keep                   save what it holds"));
        for (Asking asking : ASKINGS) {
            boolean fits = asking.usage().length() < HELP_COLUMN;
            help.add(asking.usage() + (fits ? " ".repeat(HELP_COLUMN - asking.usage().length()) + asking.help() : ""));
            if (!fits && !asking.help().isEmpty()) {
                help.add(" ".repeat(HELP_COLUMN) + asking.help());
            }
        }
        help.addAll(List.of("trace ADDRESS [from ADDRESS] [in TABLE]", "port PORT              the state of a port and its link", "sessions               who is signed in",
                "end session NUMBER     end somebody else's session", "pages on|off           show long answers a page at a time",
                "bye                    leave"));
        return help;
    }

    private static final List<String> CHANGE_HELP = List.of("drop LINE             take a line away",
            "exit                  leave this block", "done                  stop changing", "and the lines of this block:");

    /** What becomes of what a device sends; the network it goes through is somebody else's business. */
    public interface Network {

        /** Why what a device is asked is not so; absent where it is. */
        Optional<String> not(Question question, String device, List<String> says);

        /** Whether what is not so now stays so until somebody changes something. */
        boolean settled();

        /** The routers on the way to an address and on the way back, and why it got no further; source and table may be empty. */
        List<String> trace(String device, String address, String source, String table);

        /** What there is to say of a port and its link. */
        List<String> port(String device, String port);
    }

    private final LineDevice device;
    private final Network network;
    private final StringBuilder typed = new StringBuilder();
    private final List<String> unshown = new ArrayList<>();
    private final Deque<Block> blocks = new ArrayDeque<>();
    private int session;
    private boolean paging = true;
    private boolean afterReturn;
    private boolean busy;
    private boolean heardAll;

    /**
     * @param delayMillis how long the device takes for a line
     */
    public Shell(LineDevice device, Network network, ScheduledExecutorService timer, long delayMillis) {
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

    /** What was typed by then is done all the same: lines may come from a file. */
    @Override
    protected synchronized void hearNoMore() {
        heardAll = true;
        next();
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
                break;
            }
            String line = typed.substring(0, end).strip().replaceAll(" +", " ");
            typed.delete(0, end + 1);
            busy = true;
            later(() -> act(line));
        }
        if (heardAll && !busy) {
            finish();
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
        } catch (Faults.Pretended e) {
            answer = List.of();
        } catch (Faults.NotYet e) {
            later(e.pause(), () -> act(line));
            return;
        } catch (Faults.Never e) {
            // It takes no further line.
            return;
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
            case "port":
                if (words.length == 2) {
                    return network.port(device.name(), words[1]);
                }
                break;
            case "trace":
                Matcher trace = TRACE.matcher(line);
                if (trace.matches() && Values.fits("<address>", trace.group(1)) && (trace.group(2) == null || Values.fits("<address>", trace.group(2)))) {
                    return network.trace(device.name(), trace.group(1), Objects.requireNonNullElse(trace.group(2), ""), Objects.requireNonNullElse(trace.group(3), ""));
                }
                break;
            case "bye":
                finish();
                return List.of();
            default:
                return asked(line, words[0]);
        }
        throw new Block.Refusal("not understood; ? helps");
    }

    private List<String> asked(String line, String word) {
        Asking asking = ASKINGS.stream().filter(each -> each.usage().startsWith(word + " ")).findFirst()
                .orElseThrow(() -> new Block.Refusal("there is no '" + word + "' here; ? lists what there is"));
        Matcher form = asking.form().matcher(line);
        if (form.matches()) {
            List<String> says = IntStream.rangeClosed(1, form.groupCount()).mapToObj(form::group).map(group -> Objects.requireNonNullElse(group, "")).toList();
            try {
                boolean settled = !asking.question().tries() && network.settled();
                String answer = network.not(asking.question(), device.name(), says).map(asking.no()::concat).orElse(asking.yes());
                return settled ? List.of(answer, "nothing is under way that would change this") : List.of(answer);
            } catch (IllegalArgumentException e) {
                // Something that is to be an address is none.
            }
        }
        throw new Block.Refusal("not understood; write: " + asking.usage());
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
