package rilvan.protocol.netconf;

import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.apache.sshd.client.channel.ChannelSubsystem;
import org.apache.sshd.client.channel.ClientChannel;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.channel.BufferedIoOutputStream;
import org.apache.sshd.common.io.IoInputStream;
import org.apache.sshd.common.io.IoOutputStream;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import rilvan.core.environment.Answer;
import rilvan.core.environment.ConfigurationNotice;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.protocol.Wire;

/**
 * One NETCONF session over one SSH channel. Requests of a flight leave one behind the other; replies are matched by their
 * message id. A silent device ends the session: what was asked is {@link Answer.Lost}, never assumed.
 */
public final class NetconfSession implements DeviceSession {

    private static final int LONGEST_MESSAGE = 64 * 1024 * 1024;

    private final ClientSession ssh;
    private final ChannelSubsystem channel;
    private final ScheduledExecutorService timer;
    private final Duration answerTime;
    private final Wire wire;
    private final Framing incoming = new Framing(LONGEST_MESSAGE);
    private final Framing outgoing = new Framing(LONGEST_MESSAGE);
    private final CompletableFuture<Messages.Hello> hello = new CompletableFuture<>();
    private final Map<String, CompletableFuture<Answer>> pending = new LinkedHashMap<>();
    private IoOutputStream out;
    private Messages.Hello peer = new Messages.Hello("", Set.of());
    private long messages;
    private boolean ended;
    private volatile Consumer<ConfigurationNotice> listener = notice -> { };

    private NetconfSession(ClientSession ssh, ChannelSubsystem channel, ScheduledExecutorService timer, Duration answerTime, Wire wire) {
        this.wire = wire;
        this.ssh = ssh;
        this.channel = channel;
        this.timer = timer;
        this.answerTime = answerTime;
    }

    /**
     * Opens the NETCONF subsystem on an authenticated SSH session and exchanges hellos.
     *
     * @param answerTime how long a reply may take
     * @param wire where what is sent and received can be traced
     */
    public static CompletionStage<NetconfSession> open(ClientSession ssh, ScheduledExecutorService timer, Duration answerTime, Wire wire) {
        CompletableFuture<NetconfSession> opened = new CompletableFuture<>();
        try {
            ChannelSubsystem channel = ssh.createSubsystemChannel("netconf");
            channel.setStreaming(ClientChannel.Streaming.Async);
            NetconfSession session = new NetconfSession(ssh, channel, timer, answerTime, wire);
            session.hello.whenComplete((hello, failure) -> {
                if (failure == null) {
                    opened.complete(session);
                } else {
                    opened.completeExceptionally(failure);
                    session.end("it sent no hello");
                }
            });
            channel.open().addListener(future -> {
                if (future.isOpened()) {
                    session.started();
                } else {
                    opened.completeExceptionally(new IOException("it does not offer NETCONF", future.getException()));
                    ssh.close(true);
                }
            });
            channel.addCloseFutureListener(closed -> session.end("the device ended the session"));
        } catch (IOException e) {
            opened.completeExceptionally(e);
        }
        return opened;
    }

    private void started() {
        out = new BufferedIoOutputStream("netconf", channel.getChannelId(), channel.getAsyncIn(), channel);
        ScheduledFuture<?> limit = timer.schedule(() -> hello.completeExceptionally(
                new IOException("it sent no hello within " + answerTime.toSeconds() + " s")), answerTime.toMillis(), TimeUnit.MILLISECONDS);
        hello.whenComplete((done, failure) -> limit.cancel(false));
        write(outgoing.frame(Messages.hello()));
        read(channel.getAsyncOut());
        // What the device sends outside its messages is of no use, but must be taken for the window to stay open.
        drain(channel.getAsyncErr());
    }

    private void read(IoInputStream in) {
        ByteArrayBuffer buffer = new ByteArrayBuffer(32 * 1024);
        in.read(buffer).addListener(future -> {
            if (future.getException() != null) {
                end("the device ended the session");
                return;
            }
            try {
                incoming.take(buffer.array(), buffer.rpos(), buffer.available(), this::received);
            } catch (Framing.Broken | Messages.Unreadable e) {
                end("the device sent something other than NETCONF: " + e.getMessage());
                return;
            }
            read(in);
        });
    }

    private static void drain(IoInputStream in) {
        in.read(new ByteArrayBuffer(1024)).addListener(future -> {
            if (future.getException() == null) {
                drain(in);
            }
        });
    }

    private void received(String text) {
        wire.received(text);
        if (!hello.isDone()) {
            peer = Messages.readHello(text);
            if (peer.capabilities().contains(Messages.BASE_1_1)) {
                incoming.useChunks();
                outgoing.useChunks();
            }
            hello.complete(peer);
            return;
        }
        if (Messages.isNotification(text)) {
            Messages.readNotice(text).ifPresent(listener);
            return;
        }
        Messages.Reply reply = Messages.readReply(text);
        CompletableFuture<Answer> waiting;
        synchronized (pending) {
            String id = reply.messageId().orElseGet(() -> pending.keySet().stream().findFirst().orElse(""));
            waiting = pending.remove(id);
        }
        if (waiting != null) {
            waiting.complete(reply.answer());
        }
    }

    @Override
    public Set<String> capabilities() {
        return peer.capabilities();
    }

    @Override
    public String id() {
        return peer.sessionId();
    }

    @Override
    public boolean isOpen() {
        synchronized (pending) {
            return !ended && channel.isOpen();
        }
    }

    @Override
    public CompletionStage<List<Answer>> send(List<Request> flight) {
        List<CompletableFuture<Answer>> answers = new ArrayList<>();
        synchronized (pending) {
            for (Request request : flight) {
                CompletableFuture<Answer> answer = new CompletableFuture<>();
                answers.add(answer);
                if (ended) {
                    answer.complete(new Answer.Lost("the session had ended"));
                    continue;
                }
                String id = Long.toString(++messages);
                pending.put(id, answer);
                String message = Messages.request(id, request);
                wire.sent(message);
                write(outgoing.frame(message));
            }
        }
        CompletableFuture<Void> all = CompletableFuture.allOf(answers.toArray(CompletableFuture[]::new));
        ScheduledFuture<?> limit = timer.schedule(() -> end("no answer within " + answerTime.toSeconds() + " s"),
                answerTime.toMillis(), TimeUnit.MILLISECONDS);
        return all.thenApply(done -> {
            limit.cancel(false);
            return answers.stream().map(CompletableFuture::join).toList();
        });
    }

    @Override
    public CompletionStage<Boolean> listen(Consumer<ConfigurationNotice> to) {
        if (!peer.capabilities().contains(Messages.NOTIFIES)) {
            return CompletableFuture.completedFuture(false);
        }
        listener = to;
        return send(List.of(new Request.Call(Messages.SUBSCRIPTION))).thenApply(answers -> answers.get(0) instanceof Answer.Done);
    }

    private void write(byte[] bytes) {
        try {
            out.writeBuffer(new ByteArrayBuffer(bytes));
        } catch (IOException e) {
            timer.execute(() -> end("the device ended the session"));
        }
    }

    private void end(String why) {
        List<CompletableFuture<Answer>> lost;
        synchronized (pending) {
            ended = true;
            lost = new ArrayList<>(pending.values());
            pending.clear();
        }
        hello.completeExceptionally(new IOException(why));
        lost.forEach(answer -> answer.complete(new Answer.Lost(why)));
        channel.close(true);
        ssh.close(true);
    }

    /** Ends the session politely (RFC 6241 §7.8), and at once where that is not possible or something is still unanswered. */
    @Override
    public void close() {
        boolean unanswered;
        synchronized (pending) {
            unanswered = !pending.isEmpty();
        }
        if (unanswered) {
            end("cancelled");
            return;
        }
        synchronized (pending) {
            if (!ended) {
                ended = true;
                write(outgoing.frame("<rpc xmlns=\"" + Messages.BASE + "\" message-id=\"bye\"><close-session/></rpc>"));
            }
        }
        ssh.close(false);
    }

    @Override
    public String toString() {
        return "NETCONF session " + id() + " with " + ssh.getConnectAddress();
    }
}
