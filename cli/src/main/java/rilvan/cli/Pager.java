package rilvan.cli;

import java.io.IOException;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.IntSupplier;
import java.util.stream.Stream;

/** The program that shows long output page by page, where there is a terminal: what RILVAN_PAGER says, or PAGER, or less. */
final class Pager {

    private static final Set<String> ALL_AT_ONCE = Set.of("list", "show", "preview", "explain", "configuration", "settings", "drift", "page", "diff", "links", "check", "installation", "trace");
    private static final List<String> USUAL = List.of("less", "-FRX");

    private Pager() {}

    /**
     * What pages, as a command; nothing where nothing does.
     *
     * @param command the verb that is carried out: what is followed as it comes is not paged
     */
    static Optional<List<String>> of(String command, boolean terminal, Map<String, String> environment) {
        if (!terminal || !ALL_AT_ONCE.contains(command)) {
            return Optional.empty();
        }
        Optional<String> said = Stream.of("RILVAN_PAGER", "PAGER").map(environment::get).filter(value -> value != null).findFirst();
        return said.isEmpty() ? Optional.of(USUAL) : said.filter(text -> !text.isBlank()).map(text -> List.of("sh", "-c", text));
    }

    /** Does something, and shows its output by a pager; without one where it cannot be run. */
    static int through(List<String> pager, IntSupplier work) {
        Process process;
        try {
            process = new ProcessBuilder(pager).redirectOutput(ProcessBuilder.Redirect.INHERIT).redirectError(ProcessBuilder.Redirect.INHERIT).start();
        } catch (IOException e) {
            return work.getAsInt();
        }
        PrintStream before = Terminal.into(new PrintStream(process.getOutputStream(), false, StandardCharsets.UTF_8));
        try {
            return work.getAsInt();
        } finally {
            Terminal.into(before).close();
            awaited(process);
        }
    }

    private static void awaited(Process process) {
        try {
            process.waitFor();
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }
}
