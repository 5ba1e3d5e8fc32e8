package rilvan.lab.netconf;

import java.io.IOException;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.apache.sshd.common.channel.BufferedIoOutputStream;
import org.apache.sshd.common.io.IoInputStream;
import org.apache.sshd.common.io.IoOutputStream;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.server.Environment;
import org.apache.sshd.server.ExitCallback;
import org.apache.sshd.server.channel.ChannelSession;
import org.apache.sshd.server.command.AsyncCommand;
import org.w3c.dom.Element;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.config.Fault;
import rilvan.lab.config.Xml;
import rilvan.lab.device.NetconfDevice;

/** One NETCONF session on a device, fed by the SSH server without a thread of its own. */
public final class Peer implements AsyncCommand {

    private final NetconfDevice device;
    private final Convergence network;
    private final ScheduledExecutorService timer;
    private final long delayMillis;
    private final Frames in = new Frames();
    private final Frames out = new Frames();
    private IoInputStream input;
    private IoOutputStream rawOutput;
    private IoOutputStream output;
    private ExitCallback exit;
    private Operations operations;
    private int session;
    private boolean greeted;
    private boolean over;

    /**
     * @param delayMillis how long the device takes to answer each request
     */
    public Peer(NetconfDevice device, Convergence network, ScheduledExecutorService timer, long delayMillis) {
        this.device = device;
        this.network = network;
        this.timer = timer;
        this.delayMillis = delayMillis;
    }

    @Override
    public void setIoInputStream(IoInputStream stream) {
        input = stream;
    }

    @Override
    public void setIoOutputStream(IoOutputStream stream) {
        rawOutput = stream;
    }

    @Override
    public void setIoErrorStream(IoOutputStream stream) {
        // nothing is said beside the messages
    }

    @Override
    public void setInputStream(java.io.InputStream stream) {
        // fed asynchronously, see setIoInputStream and its like
    }

    @Override
    public void setOutputStream(java.io.OutputStream stream) {
        // fed asynchronously, see setIoInputStream and its like
    }

    @Override
    public void setErrorStream(java.io.OutputStream stream) {
        // fed asynchronously, see setIoInputStream and its like
    }

    @Override
    public void setExitCallback(ExitCallback callback) {
        exit = callback;
    }

    @Override
    public void start(ChannelSession channel, Environment environment) {
        output = new BufferedIoOutputStream("netconf", channel.getChannelId(), rawOutput, channel);
        session = device.enter(this::finish);
        operations = new Operations(device, network, session);
        StringBuilder hello = new StringBuilder("<hello xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\"><capabilities>");
        for (String capability : device.profile().capabilities()) {
            hello.append("<capability>urn:ietf:params:netconf:").append(capability).append("</capability>");
        }
        device.model().capabilities().forEach(module -> hello.append("<capability>").append(module).append("</capability>"));
        say(hello.append("</capabilities><session-id>").append(session).append("</session-id></hello>").toString());
        receive();
    }

    @Override
    public void destroy(ChannelSession channel) {
        over = true;
        device.leave(session);
    }

    private void receive() {
        ByteArrayBuffer buffer = new ByteArrayBuffer(16 * 1024);
        input.read(buffer).addListener(future -> {
            if (future.getException() != null) {
                finish();
                return;
            }
            in.add(buffer.array(), buffer.rpos(), buffer.available());
            next();
        });
    }

    /** Takes the next whole message, or waits for more bytes: one request is answered before the next is looked at. */
    private void next() {
        Optional<String> message;
        try {
            message = in.next();
        } catch (Frames.BadFraming e) {
            finish();
            return;
        }
        if (message.isEmpty()) {
            receive();
        } else if (delayMillis == 0 || !greeted) {
            handle(message.get());
        } else {
            timer.schedule(() -> handle(message.get()), delayMillis, TimeUnit.MILLISECONDS);
        }
    }

    private void handle(String message) {
        if (over) {
            return;
        }
        Element root;
        try {
            root = Xml.parse(message);
        } catch (Fault fault) {
            say("<rpc-reply xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\">" + Operations.error(fault) + "</rpc-reply>");
            finish();
            return;
        }
        if (!greeted) {
            greet(root);
        } else if (root.getLocalName().equals("rpc")) {
            say(operations.reply(root));
            if (Xml.elements(root).stream().anyMatch(element -> element.getLocalName().equals("close-session"))) {
                finish();
                return;
            }
        } else {
            finish();
            return;
        }
        next();
    }

    private void greet(Element hello) {
        greeted = true;
        boolean chunks = device.profile().chunked() && Xml.elements(hello).stream().flatMap(list -> Xml.elements(list).stream())
                .anyMatch(capability -> Xml.text(capability).equals("urn:ietf:params:netconf:base:1.1"));
        if (!hello.getLocalName().equals("hello")) {
            finish();
        } else if (chunks) {
            in.switchToChunks();
            out.switchToChunks();
        }
    }

    private void say(String message) {
        try {
            output.writeBuffer(new ByteArrayBuffer(out.frame(message)));
        } catch (IOException e) {
            finish();
        }
    }

    private void finish() {
        if (!over) {
            over = true;
            device.leave(session);
            output.close(false).addListener(closed -> exit.onExit(0));
        }
    }
}
