package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.Deque;

/** A script that is driven by lines: each is a function of its own, answered by {@code done} and its exit code. It ends with its input. */
final class Script implements AutoCloseable {

    private static final int LINES_OF_AN_ERROR = 20;

    private final Process process;
    private final BufferedReader out;
    private final PrintStream in;

    Script(ProcessBuilder builder) throws IOException {
        process = builder.redirectErrorStream(true).start();
        out = new BufferedReader(new InputStreamReader(process.getInputStream(), StandardCharsets.UTF_8));
        in = new PrintStream(process.getOutputStream(), true, StandardCharsets.UTF_8);
    }

    /** What a script of the product tells that asks for nothing, until it ends by itself; it must end well. */
    static String toldBy(String... command) throws IOException, InterruptedException {
        ProcessBuilder builder = new ProcessBuilder(command).redirectErrorStream(true);
        builder.environment().put("RILVAN_PACKAGED", "yes");
        Process story = builder.start();
        story.getOutputStream().close();
        String told = new String(story.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertThat(story.waitFor()).as(told).isZero();
        return told;
    }

    String line() throws IOException {
        return out.readLine();
    }

    String lineThatStartsWith(String start) throws IOException {
        Deque<String> last = new ArrayDeque<>();
        for (String line = line(); line != null; line = line()) {
            if (line.startsWith(start)) {
                return line;
            }
            System.out.println(line);
            last.add(line);
            if (last.size() > LINES_OF_AN_ERROR) {
                last.remove();
            }
        }
        throw new IOException("the script ended before it said: " + start + "; it said last:\n" + String.join("\n", last));
    }

    void say(String line) {
        in.println(line);
    }

    /** Runs a function, such as {@code cut_service}. */
    void run(String function) throws IOException {
        say(function);
        String answer = lineThatStartsWith("done ");
        if (!answer.equals("done 0")) {
            throw new IOException(function + ": " + answer);
        }
    }

    @Override
    public void close() throws InterruptedException {
        in.close();
        process.waitFor();
    }
}
