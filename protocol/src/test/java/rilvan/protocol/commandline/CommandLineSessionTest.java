package rilvan.protocol.commandline;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.io.Reader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.function.UnaryOperator;
import java.util.regex.Pattern;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.keyverifier.AcceptAllServerKeyVerifier;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.server.Environment;
import org.apache.sshd.server.ExitCallback;
import org.apache.sshd.server.SshServer;
import org.apache.sshd.server.channel.ChannelSession;
import org.apache.sshd.server.command.Command;
import org.apache.sshd.server.keyprovider.SimpleGeneratorHostKeyProvider;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.dialect.CommandLine;
import rilvan.core.dialect.CommandLine.Sessions;
import rilvan.core.environment.Answer;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.Datastore;
import rilvan.protocol.SessionObserver;
import rilvan.protocol.Wire;

/** What command lines of families that nobody here makes do: each oddity played by a shell that says what a test tells it to, over real SSH. */
@Timeout(60)
class CommandLineSessionTest {

    /** Where the shell waits for a key, and what it writes then. */
    private static final String PAGE = "\f";
    private static final String MORE = "-- more --";
    private static final Duration PATIENCE = Duration.ofSeconds(30);
    private static final Duration SHORT = Duration.ofMillis(300);
    private static final CommandLine PLAIN = family(Optional.of(new Sessions(Pattern.compile("session (\\d+)"), "end session {}", Pattern.compile("no such session"))),
            Optional.of("list saved"), Optional.empty(), Map.of());

    @TempDir
    private static Path folder;
    private static SshServer server;
    private static SshClient client;
    private static final ScheduledExecutorService TIMER = Executors.newSingleThreadScheduledExecutor();
    private static final ExecutorService SHELLS = Executors.newCachedThreadPool();

    /** What the shell writes to a line, after the echo; the prompt is part of it. */
    private static volatile UnaryOperator<String> says;
    private static volatile String banner;
    private static volatile UnaryOperator<String> echo;
    private static final List<String> TYPED = new CopyOnWriteArrayList<>();

    private static CommandLine family(Optional<Sessions> sessions, Optional<String> readSaved, Optional<Pattern> warning, Map<String, String> asks) {
        return new CommandLine(Pattern.compile("[\\w.-]+( \\([\\w -]+\\))?[>#] "), MORE, Pattern.compile("^% "), warning, asks, List.of(), "list running", readSaved, "configure", "end", "save", sessions);
    }

    /** A shell that echoes and answers line by line. */
    private static final class Shell implements Command {

        private InputStream in;
        private OutputStream out;

        @Override
        public void start(ChannelSession channel, Environment environment) {
            SHELLS.execute(() -> {
                try (Reader keys = new InputStreamReader(in, StandardCharsets.UTF_8)) {
                    write(banner);
                    StringBuilder line = new StringBuilder();
                    Deque<String> pages = new ArrayDeque<>();
                    for (int key = keys.read(); key >= 0; key = keys.read()) {
                        if (!pages.isEmpty()) {
                            write(pages.pop() + (pages.isEmpty() ? "" : MORE));
                        } else if (key == '\n') {
                            TYPED.add(line.toString());
                            pages.addAll(List.of((echo.apply(line.toString()) + says.apply(line.toString())).split(PAGE)));
                            line.setLength(0);
                            write(pages.pop() + (pages.isEmpty() ? "" : MORE));
                        } else {
                            line.append((char) key);
                        }
                    }
                } catch (IOException e) {
                    // The client has left.
                }
            });
        }

        private void write(String text) throws IOException {
            out.write(text.replace("\n", "\r\n").getBytes(StandardCharsets.UTF_8));
            out.flush();
        }

        @Override
        public void destroy(ChannelSession channel) {}

        @Override
        public void setInputStream(InputStream given) {
            in = given;
        }

        @Override
        public void setOutputStream(OutputStream given) {
            out = given;
        }

        @Override
        public void setErrorStream(OutputStream given) {}

        @Override
        public void setExitCallback(ExitCallback callback) {}
    }

    @BeforeAll
    static void start() throws IOException {
        server = SshServer.setUpDefaultServer();
        server.setHost("127.0.0.1");
        server.setKeyPairProvider(new SimpleGeneratorHostKeyProvider(folder.resolve("key")));
        server.setPasswordAuthenticator((user, password, session) -> true);
        server.setShellFactory(channel -> new Shell());
        server.start();
        client = SshClient.setUpDefaultClient();
        client.setServerKeyVerifier(AcceptAllServerKeyVerifier.INSTANCE);
        client.start();
    }

    @AfterAll
    static void stop() throws IOException {
        client.stop();
        server.stop(true);
        TIMER.shutdownNow();
        SHELLS.shutdownNow();
    }

    @BeforeEach
    void plain() {
        banner = "welcome, session 7\nquay-r1> ";
        echo = line -> line + "\n";
        says = line -> "quay-r1> ";
        TYPED.clear();
    }

    private static CommandLineSession open(CommandLine family, Duration patience) throws Exception {
        ClientSession ssh = client.connect("u", "127.0.0.1", server.getPort()).verify(PATIENCE).getSession();
        ssh.addPasswordIdentity("p");
        ssh.auth().verify(PATIENCE);
        return CommandLineSession.open(ssh, family, TIMER, patience, new Wire("quay-r1", SessionObserver.NONE)).toCompletableFuture().get();
    }

    private static List<Answer> sent(CommandLine family, Request... flight) throws Exception {
        CommandLineSession session = open(family, PATIENCE);
        try {
            return session.send(List.of(flight)).toCompletableFuture().get();
        } finally {
            session.close();
        }
    }

    /** The prompt changes with the mode and with the host's name, which a line of this very change sets. */
    @Test
    void thePromptFollowsModeAndName() throws Exception {
        says = line -> switch (line) {
            case "configure" -> "quay-r1 (configure)# ";
            case "hostname slip-r2" -> "slip-r2 (configure)# ";
            case "port access-1" -> "slip-r2 (configure port)# ";
            default -> "slip-r2> ";
        };
        assertThat(sent(PLAIN, new Request.Change("hostname slip-r2\nport access-1"), new Request.Save())).containsExactly(new Answer.Done(), new Answer.Done());
        assertThat(TYPED).containsExactly("configure", "hostname slip-r2", "port access-1", "end", "save");
    }

    /** Up to the first refused line; then the mode is left, and nothing of what follows is typed. */
    @Test
    void aRefusalEndsAChangeAndAWarningDoesNot() throws Exception {
        CommandLine family = family(PLAIN.sessions(), Optional.empty(), Optional.of(Pattern.compile("^% Note:")), Map.of());
        says = line -> (line.startsWith("mtu") ? "% Note: the mtu is larger than usual\n" : line.startsWith("vrf") ? "% no such vrf\n" : "") + "quay-r1> ";
        assertThat(sent(family, new Request.Change("mtu 9000\nvrf X\nport 1"))).containsExactly(new Answer.Refused(List.of(new Answer.Fault("operation-failed", "vrf X", "% no such vrf"))));
        assertThat(TYPED).containsExactly("configure", "mtu 9000", "vrf X", "end");
        TYPED.clear();
        assertThat(sent(family, new Request.Change("mtu 9000\nport 1"))).containsExactly(new Answer.Done());
    }

    @Test
    void aQuestionIsAnswered() throws Exception {
        CommandLine family = family(PLAIN.sessions(), Optional.empty(), Optional.empty(), Map.of("Overwrite? [y/n] ", "y"));
        says = line -> line.equals("save") ? "The file is there.\nOverwrite? [y/n] " : line.equals("y") ? "written\nquay-r1> " : "quay-r1> ";
        assertThat(sent(family, new Request.Save())).containsExactly(new Answer.Done());
        assertThat(TYPED).containsExactly("save", "y");
    }

    @Test
    void pagesAreTurned() throws Exception {
        says = line -> "port 1\n" + PAGE + "port 2\n" + PAGE + "port 3\nquay-r1> ";
        assertThat(sent(PLAIN, new Request.Read(Datastore.RUNNING, ""))).containsExactly(new Answer.Data("port 1\nport 2\nport 3\n"));
    }

    /** A terminal that is narrower than it was told breaks the echo; what follows is the answer all the same. */
    @ParameterizedTest
    @CsvSource({"40,''", "40,' '", "7,''", "13,'  '"})
    void anEchoThatWrapsIsNoAnswer(int width, String filling) throws Exception {
        echo = line -> line.replaceAll("(.{" + width + "})", "$1" + filling + "\n") + "\n";
        says = line -> "route 1\nroute 2\nquay-r1> ";
        String line = "list routes with next hop 192.0.2.1 of the table VPN-1001 and of no other, longest prefix first";
        assertThat(sent(PLAIN, new Request.Call(line))).containsExactly(new Answer.Data("route 1\nroute 2\n"));
        echo = typed -> "";
        assertThat(sent(PLAIN, new Request.Call(line))).containsExactly(new Answer.Data("route 1\nroute 2\n"));
    }

    /** Without a view of what is saved the running configuration stands for it, and without numbers a lost session is waited for. */
    @Test
    void whatAFamilyLacksIsNotFaked() throws Exception {
        CommandLine family = family(Optional.empty(), Optional.empty(), Optional.empty(), Map.of());
        banner = "welcome\nquay-r1> ";
        says = line -> line.equals("list running") ? "port 1\nquay-r1> " : "% what?\nquay-r1> ";
        CommandLineSession session = open(family, SHORT);
        assertThat(session.id()).hasSize(16);
        assertThat(session.send(List.of(new Request.Read(Datastore.STARTUP, ""), new Request.EndSession("0a1b"))).toCompletableFuture().get())
                .containsExactly(new Answer.Data("port 1\n"), new Answer.Done());
        assertThat(TYPED).containsExactly("list running");
        session.close();
        assertThat(family.limits()).hasSize(2);
        assertThatThrownBy(() -> open(PLAIN, SHORT)).hasMessageContaining("it did not report its session id");
    }

    @Test
    void anotherSessionIsEndedByItsNumberAndOneThatIsNotThereIsTold() throws Exception {
        says = line -> line.equals("end session 9") ? "% no such session\nquay-r1> " : "quay-r1> ";
        assertThat(sent(PLAIN, new Request.EndSession("8"), new Request.EndSession("9"))).containsExactly(new Answer.Done(),
                new Answer.Refused(List.of(new Answer.Fault("invalid-value", "end session 9", "% no such session"))));
    }

    /** A device that falls silent after a line may have taken it or not: lost, never assumed. */
    @Test
    void silenceIsLost() throws Exception {
        says = line -> line.equals("mtu 1") ? "" : "quay-r1> ";
        CommandLineSession session = open(PLAIN, SHORT);
        assertThat(session.send(List.of(new Request.Change("mtu 1"), new Request.Save())).toCompletableFuture().get())
                .containsExactly(new Answer.Lost("no prompt within 0 s"), new Answer.Lost("the session had ended"));
        assertThat(session.isOpen()).isFalse();
    }
}
