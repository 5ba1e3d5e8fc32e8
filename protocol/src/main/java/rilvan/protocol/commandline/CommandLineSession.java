package rilvan.protocol.commandline;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import org.apache.sshd.client.channel.ChannelShell;
import org.apache.sshd.client.channel.ClientChannel;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.channel.BufferedIoOutputStream;
import org.apache.sshd.common.io.IoInputStream;
import org.apache.sshd.common.io.IoOutputStream;
import org.apache.sshd.common.util.buffer.BufferUtils;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import rilvan.core.dialect.CommandLine;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.protocol.Wire;

/**
 * One session on a device's command line. One line is in flight at a time: the next is typed when the prompt has come back
 * and nothing before it said error. A silent device ends the session: what was asked is {@link Answer.Lost}, never assumed.
 */
public final class CommandLineSession implements DeviceSession {

    private static final int LONGEST_ANSWER = 64 * 1024 * 1024;
    private static final int WIDTH = 500;
    private static final int LENGTH_OF_IDENTIFIER = 16;

    private final ClientSession ssh;
    private final ChannelShell channel;
    private final CommandLine words;
    private final ScheduledExecutorService timer;
    private final Duration answerTime;
    private final Wire wire;
    private final StringBuilder heard = new StringBuilder();
    private IoOutputStream out;
    private Optional<Typed> waiting = Optional.empty();
    private String id = "";
    private boolean ended;

    /** A line that was typed, and what the device writes up to its next prompt. */
    private record Typed(String line, CompletableFuture<String> written, ScheduledFuture<?> limit) {}

    /** The session ended before a prompt came back. */
    private static final class Silence extends RuntimeException {
        Silence(String why) {
            super(why);
        }
    }

    private CommandLineSession(ClientSession ssh, ChannelShell channel, CommandLine words, ScheduledExecutorService timer, Duration answerTime, Wire wire) {
        this.wire = wire;
        this.ssh = ssh;
        this.channel = channel;
        this.words = words;
        this.timer = timer;
        this.answerTime = answerTime;
    }

    /**
     * Opens a shell on an authenticated SSH session, waits for the first prompt and types what every session begins with.
     *
     * @param wire where what is sent and received can be traced
     * @param answerTime how long the device may take from a line to its next prompt
     */
    public static CompletionStage<CommandLineSession> open(ClientSession ssh, CommandLine words, ScheduledExecutorService timer, Duration answerTime, Wire wire) {
        CompletableFuture<CommandLineSession> opened = new CompletableFuture<>();
        try {
            ChannelShell channel = ssh.createShellChannel();
            channel.setPtyColumns(WIDTH);
            channel.setStreaming(ClientChannel.Streaming.Async);
            CommandLineSession session = new CommandLineSession(ssh, channel, words, timer, answerTime, wire);
            channel.open().addListener(future -> {
                if (!future.isOpened()) {
                    opened.completeExceptionally(new IOException("it does not offer a command line", future.getException()));
                    ssh.close(true);
                    return;
                }
                session.greet().whenComplete((done, failure) -> {
                    if (failure == null) {
                        opened.complete(session);
                    } else {
                        opened.completeExceptionally(new IOException(failure.getCause() == null ? failure.getMessage() : failure.getCause().getMessage()));
                    }
                });
            });
            channel.addCloseFutureListener(closed -> session.end("the device ended the session"));
        } catch (IOException e) {
            opened.completeExceptionally(e);
        }
        return opened;
    }

    private CompletionStage<Void> greet() {
        out = new BufferedIoOutputStream("command line", channel.getChannelId(), channel.getAsyncIn(), channel);
        CompletableFuture<String> banner = await("");
        read(channel.getAsyncOut());
        return banner.thenCompose(text -> {
            id = number(text);
            CompletionStage<Void> begun = CompletableFuture.completedFuture(null);
            for (String line : words.begin()) {
                begun = begun.thenCompose(done -> type(line)).thenApply(written -> null);
            }
            return begun;
        });
    }

    /** The device's number of this session; where it has none, SSH's own identifier (RFC 4253 §7.2). */
    private String number(String banner) {
        if (words.sessions().isEmpty()) {
            return BufferUtils.toHex((char) 0, ssh.getSessionId()).substring(0, LENGTH_OF_IDENTIFIER);
        }
        Matcher found = words.sessions().get().number().matcher(banner);
        if (!found.find()) {
            end("it did not report its session id");
            throw new Silence("it did not report its session id");
        }
        return found.group(1);
    }

    private void read(IoInputStream in) {
        ByteArrayBuffer buffer = new ByteArrayBuffer(32 * 1024);
        in.read(buffer).addListener(future -> {
            if (future.getException() != null) {
                end("the device ended the session");
                return;
            }
            hear(new String(buffer.array(), buffer.rpos(), buffer.available(), StandardCharsets.UTF_8));
            read(in);
        });
    }

    /** Takes what the device writes. Where it ends with a prompt, the line that was typed is answered. */
    private void hear(String text) {
        Typed answered;
        String written;
        synchronized (this) {
            heard.append(text.replace("\r", ""));
            if (heard.length() > LONGEST_ANSWER) {
                timer.execute(() -> end("the device does not stop writing"));
                return;
            }
            if (!words.more().isEmpty() && heard.toString().endsWith(words.more())) {
                heard.setLength(heard.length() - words.more().length());
                write(" ");
                return;
            }
            Optional<String> answer = words.asks().entrySet().stream().filter(asked -> heard.toString().endsWith(asked.getKey())).map(Map.Entry::getValue).findFirst();
            if (answer.isPresent()) {
                heard.append('\n');
                write(answer.get() + "\n");
                return;
            }
            int lastLine = heard.lastIndexOf("\n") + 1;
            if (waiting.isEmpty() || !words.prompt().matcher(heard.substring(lastLine)).matches()) {
                return;
            }
            answered = waiting.get();
            waiting = Optional.empty();
            written = heard.substring(0, lastLine);
            heard.setLength(0);
        }
        answered.limit().cancel(false);
        wire.received(written);
        answered.written().complete(withoutEcho(answered.line(), written));
    }

    /** Devices echo what is typed, and break the line where their terminal ends, with or without a blank, whatever width they were told. */
    static String withoutEcho(String line, String written) {
        int at = 0;
        for (int i = 0; i < line.length(); i++) {
            while (at < written.length() && written.charAt(at) != line.charAt(i) && isBreak(written.charAt(at))) {
                at++;
            }
            if (at == written.length() || written.charAt(at) != line.charAt(i)) {
                return written;
            }
            at++;
        }
        while (at < written.length() && written.charAt(at) != '\n' && isBreak(written.charAt(at))) {
            at++;
        }
        return at < written.length() && written.charAt(at) == '\n' ? written.substring(at + 1) : written;
    }

    private static boolean isBreak(char character) {
        return character == '\n' || character == ' ' || character == '\b';
    }

    private CompletableFuture<String> type(String line) {
        CompletableFuture<String> written = await(line);
        if (!written.isDone()) {
            wire.sent(line);
            write(line + "\n");
        }
        return written;
    }

    private synchronized CompletableFuture<String> await(String line) {
        CompletableFuture<String> written = new CompletableFuture<>();
        if (ended) {
            written.completeExceptionally(new Silence("the session had ended"));
            return written;
        }
        waiting = Optional.of(new Typed(line, written, timer.schedule(() -> end("no prompt within " + answerTime.toSeconds() + " s"),
                answerTime.toMillis(), TimeUnit.MILLISECONDS)));
        return written;
    }

    private void write(String text) {
        try {
            out.writeBuffer(new ByteArrayBuffer(text.getBytes(StandardCharsets.UTF_8)));
        } catch (IOException e) {
            timer.execute(() -> end("the device ended the session"));
        }
    }

    @Override
    public CompletionStage<List<Answer>> send(List<Request> flight) {
        CompletionStage<List<Answer>> answers = CompletableFuture.completedFuture(new ArrayList<>());
        for (Request request : flight) {
            answers = answers.thenCompose(before -> act(request).exceptionally(CommandLineSession::lost).thenApply(answer -> {
                before.add(answer);
                return before;
            }));
        }
        return answers;
    }

    private static Answer lost(Throwable failure) {
        Throwable cause = failure.getCause() == null ? failure : failure.getCause();
        return new Answer.Lost(String.valueOf(cause.getMessage()));
    }

    private CompletionStage<Answer> act(Request request) {
        if (request instanceof Request.Read read) {
            // Where the device does not show what it has saved, there is nothing to compare with: the guarantee says so.
            return asked(read.datastore() == Request.Datastore.STARTUP ? words.readSaved().orElse(words.read()) : words.read());
        } else if (request instanceof Request.Call call) {
            return asked(call.operation().strip());
        } else if (request instanceof Request.Save) {
            return done(words.save());
        } else if (request instanceof Request.EndSession other) {
            return words.sessions().map(sessions -> done(sessions.end().replace("{}", other.sessionId()))).orElseGet(this::ended);
        } else if (request instanceof Request.Change change) {
            return change(change.config().lines().map(String::strip).filter(line -> !line.isEmpty()).toList());
        }
        throw new IllegalArgumentException("a command line knows no " + request);
    }

    /** A session without a number has ended once its last line must have been answered, or the connection has been lost. */
    private CompletionStage<Answer> ended() {
        CompletableFuture<Answer> ended = new CompletableFuture<>();
        timer.schedule(() -> ended.complete(new Answer.Done()), answerTime.toMillis(), TimeUnit.MILLISECONDS);
        return ended;
    }

    private CompletionStage<Answer> asked(String line) {
        return type(line).thenApply(written -> fault(line, written).<Answer>map(fault -> new Answer.Refused(List.of(fault)))
                .orElseGet(() -> new Answer.Data(written)));
    }

    private CompletionStage<Answer> done(String line) {
        return type(line).thenApply(written -> fault(line, written).<Answer>map(fault -> new Answer.Refused(List.of(fault)))
                .orElseGet(Answer.Done::new));
    }

    /** Types lines in configuration mode up to the first that is refused; what was typed before that stands. */
    private CompletionStage<Answer> change(List<String> lines) {
        CompletionStage<Optional<Answer.Fault>> typed = type(words.enter()).thenApply(written -> fault(words.enter(), written));
        for (String line : lines) {
            typed = typed.thenCompose(fault -> fault.isPresent() ? CompletableFuture.completedFuture(fault)
                    : type(line).thenApply(written -> fault(line, written)));
        }
        return typed.thenCompose(fault -> type(words.leave()).thenApply(written -> fault.or(() -> fault(words.leave(), written))
                .<Answer>map(found -> new Answer.Refused(List.of(found))).orElseGet(Answer.Done::new)));
    }

    private Optional<Answer.Fault> fault(String line, String written) {
        return written.lines().filter(each -> words.error().matcher(each).find() && words.warning().filter(warning -> warning.matcher(each).find()).isEmpty()).findFirst()
                .map(each -> new Answer.Fault(words.sessions().filter(sessions -> sessions.unknown().matcher(each).find()).isPresent() ? "invalid-value" : "operation-failed", line, each.strip()));
    }

    private void end(String why) {
        Optional<Typed> unanswered;
        synchronized (this) {
            ended = true;
            unanswered = waiting;
            waiting = Optional.empty();
        }
        unanswered.ifPresent(typed -> {
            typed.limit().cancel(false);
            typed.written().completeExceptionally(new Silence(why));
        });
        channel.close(true);
        ssh.close(true);
    }

    @Override
    public String id() {
        return id;
    }

    @Override
    public Set<String> capabilities() {
        return Set.of();
    }

    @Override
    public synchronized boolean isOpen() {
        return !ended && channel.isOpen();
    }

    @Override
    public void close() {
        end("cancelled");
    }

    @Override
    public String toString() {
        return "command line session " + id + " with " + ssh.getConnectAddress();
    }
}
