package rilvan.lab.ssh;

import java.io.IOException;
import java.time.Duration;
import java.time.temporal.ChronoUnit;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.apache.sshd.common.AttributeRepository.AttributeKey;
import org.apache.sshd.common.channel.BufferedIoOutputStream;
import org.apache.sshd.common.io.IoInputStream;
import org.apache.sshd.common.io.IoOutputStream;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.server.Environment;
import org.apache.sshd.server.ExitCallback;
import org.apache.sshd.server.channel.ChannelSession;
import org.apache.sshd.server.command.AsyncCommand;
import rilvan.lab.device.Device;

/** One session on a device, fed by the SSH server asynchronously. */
public abstract class StreamedCommand implements AsyncCommand {

    /** How long after signing in the device greets; longer than anybody waits where it never does. */
    public static final AttributeKey<Duration> LATE = new AttributeKey<>();

    private static final int CHUNK = 16 * 1024;

    private final Device device;
    private final ScheduledExecutorService timer;
    private final long delayMillis;
    private IoInputStream input;
    private IoOutputStream rawOutput;
    private IoOutputStream output;
    private ExitCallback exit;
    private volatile boolean over;

    /**
     * @param delayMillis how long the device takes for each thing it is asked
     */
    protected StreamedCommand(Device device, ScheduledExecutorService timer, long delayMillis) {
        this.device = device;
        this.timer = timer;
        this.delayMillis = delayMillis;
    }

    /** The session has begun: the device may speak first. */
    protected abstract void begin();

    /** Bytes have come in; more are read when this returns, or, where it returns false, when {@link #receive()} is called. */
    protected abstract boolean hear(byte[] bytes, int from, int length);

    /** Nothing more comes in, since whoever called has said all or is gone. */
    protected void hearNoMore() {
        finish();
    }

    /** The session is over, whoever ended it. */
    protected abstract void leave();

    @Override
    public final void start(ChannelSession channel, Environment environment) {
        output = new BufferedIoOutputStream("lab", channel.getChannelId(), rawOutput, channel);
        if (device.faults().isAway()) {
            // As if it were not there: not a word to whoever calls.
            finish();
            return;
        }
        Duration late = channel.getSession().getAttribute(LATE);
        if (late == null) {
            greet();
        } else if (late.compareTo(ChronoUnit.YEARS.getDuration()) < 0) {
            later(late, this::greet);
        }
    }

    private void greet() {
        if (!over) {
            begin();
            receive();
        }
    }

    protected final void receive() {
        ByteArrayBuffer buffer = new ByteArrayBuffer(CHUNK);
        input.read(buffer).addListener(future -> {
            if (future.getException() != null) {
                hearNoMore();
            } else if (hear(buffer.array(), buffer.rpos(), buffer.available()) && !over) {
                receive();
            }
        });
    }

    /** Whether the device takes any time at all. */
    protected final boolean takesTime() {
        return delayMillis > 0;
    }

    /** Does something when the device has taken its time. */
    protected final void later(Runnable action) {
        later(Duration.ofMillis(delayMillis), action);
    }

    /** Does something when a pause is over. */
    protected final void later(Duration pause, Runnable action) {
        timer.schedule(action, pause.toMillis(), TimeUnit.MILLISECONDS);
    }

    protected final void write(byte[] bytes) {
        if (over) {
            return;
        }
        try {
            output.writeBuffer(new ByteArrayBuffer(bytes));
        } catch (IOException e) {
            finish();
        }
    }

    protected final boolean isOver() {
        return over;
    }

    /** Ends the session once what was written has left. */
    protected final void finish() {
        if (!over) {
            over = true;
            leave();
            output.close(false).addListener(closed -> exit.onExit(0));
        }
    }

    @Override
    public final void destroy(ChannelSession channel) {
        over = true;
        leave();
    }

    @Override
    public final void setIoInputStream(IoInputStream stream) {
        input = stream;
    }

    @Override
    public final void setIoOutputStream(IoOutputStream stream) {
        rawOutput = stream;
    }

    @Override
    public final void setIoErrorStream(IoOutputStream stream) {
        // all is said in one stream
    }

    @Override
    public final void setInputStream(java.io.InputStream stream) {
        // fed asynchronously, see setIoInputStream and its like
    }

    @Override
    public final void setOutputStream(java.io.OutputStream stream) {
        // fed asynchronously, see setIoInputStream and its like
    }

    @Override
    public final void setErrorStream(java.io.OutputStream stream) {
        // fed asynchronously, see setIoInputStream and its like
    }

    @Override
    public final void setExitCallback(ExitCallback callback) {
        exit = callback;
    }
}
