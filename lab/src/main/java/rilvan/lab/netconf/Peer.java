package rilvan.lab.netconf;

import java.time.Instant;
import java.util.Optional;
import java.util.concurrent.ScheduledExecutorService;
import org.w3c.dom.Element;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.config.RpcError;
import rilvan.lab.config.Xml;
import rilvan.lab.device.Faults;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.ssh.StreamedCommand;

/** One NETCONF session on a device, fed by the SSH server without a thread of its own. */
public final class Peer extends StreamedCommand {

    private final NetconfDevice device;
    private final Convergence network;
    private final String user;
    private final Framer in = new Framer();
    private final Framer out = new Framer();
    private Operations operations;
    private int session;
    private boolean greeted;

    /**
     * @param delayMillis how long the device takes to answer each request
     */
    public Peer(NetconfDevice device, Convergence network, String user, ScheduledExecutorService timer, long delayMillis) {
        super(device, timer, delayMillis);
        this.device = device;
        this.network = network;
        this.user = user;
    }

    @Override
    protected void begin() {
        session = device.enter(user, this::finish);
        operations = new Operations(device, network, session, change -> say(Notifications.text(change, Instant.now())));
        StringBuilder hello = new StringBuilder("<hello xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\"><capabilities>");
        for (String capability : device.profile().capabilities()) {
            hello.append("<capability>urn:ietf:params:netconf:").append(capability).append("</capability>");
        }
        device.model().capabilities().forEach(module -> hello.append("<capability>").append(module).append("</capability>"));
        // For its get-schema: the modules that are told of can be had (RFC 6022 §3.1).
        hello.append("<capability>urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring?module=ietf-netconf-monitoring&amp;revision=2010-10-04</capability>");
        say(hello.append("</capabilities><session-id>").append(session).append("</session-id></hello>").toString());
    }

    @Override
    protected void leave() {
        device.leave(session);
    }

    @Override
    protected boolean hear(byte[] bytes, int from, int length) {
        in.add(bytes, from, length);
        return next();
    }

    /**
     * Takes one whole message after the other: one request is answered before the next is looked at.
     *
     * @return whether more bytes are to be read now; if not, they are read when the request under way is answered, or never
     */
    private boolean next() {
        while (!isOver()) {
            Optional<String> message;
            try {
                message = in.next();
            } catch (Framer.BadFraming e) {
                finish();
                return false;
            }
            if (message.isEmpty()) {
                return true;
            }
            if (takesTime() && greeted) {
                later(() -> answer(message.get()));
                return false;
            }
            if (!handled(message.get())) {
                return false;
            }
        }
        return false;
    }

    private void answer(String message) {
        if (handled(message) && next()) {
            receive();
        }
    }

    /** Whether a message was dealt with, so that the next one is looked at: a device may take its time, or fall silent. */
    private boolean handled(String message) {
        try {
            handle(message);
            return true;
        } catch (Faults.NotYet e) {
            later(e.pause(), () -> answer(message));
        } catch (Faults.Never e) {
            // It hears nothing more.
        }
        return false;
    }

    private void handle(String message) {
        if (isOver()) {
            return;
        }
        Element root;
        try {
            root = Xml.parse(message);
        } catch (RpcError fault) {
            say("<rpc-reply xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\">" + Operations.error(fault) + "</rpc-reply>");
            finish();
            return;
        }
        if (!greeted) {
            greet(root);
        } else if (!root.getLocalName().equals("rpc")) {
            finish();
        } else {
            say(operations.reply(root));
            if (Xml.elements(root).stream().anyMatch(element -> element.getLocalName().equals("close-session"))) {
                finish();
            }
        }
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

    /** Answers come from one thread at a time, notifications from whoever changed something. */
    private synchronized void say(String message) {
        write(out.frame(message));
    }
}
