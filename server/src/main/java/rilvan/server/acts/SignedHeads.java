package rilvan.server.acts;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;
import rilvan.server.store.Acts;
import rilvan.server.store.Acts.Head;
import rilvan.server.store.Acts.SignedHead;
import rilvan.server.store.Json;
import tools.jackson.core.JacksonException;
import tools.jackson.core.type.TypeReference;

/**
 * The chain's head, signed, and sent where whoever owns the database cannot reach: into a file, to a syslog server, to a web address. Who has a head can tell later
 * whether the log still is the one it was made of.
 */
@Component
public class SignedHeads {

    private static final Logger LOG = LoggerFactory.getLogger(SignedHeads.class);

    /** A head as it is sent out, one line of JSON. */
    record Line(String log, long seq, String digest, String at, String signature) {

        SignedHead head() {
            return new SignedHead(seq, digest, at, signature);
        }
    }

    private final Acts acts;
    private final LogKey key;
    private final Json json;
    private final Settings.LogHeads settings;
    private final List<HeadReceiver> receivers = new ArrayList<>();

    SignedHeads(Acts acts, LogKey key, Json json, Settings settings) {
        this.acts = acts;
        this.key = key;
        this.json = json;
        this.settings = settings.logHeads();
        if (this.settings.file() != null) {
            receivers.add(new HeadReceiver("file " + this.settings.file(), this::write));
        }
        if (this.settings.syslog() != null) {
            receivers.add(new HeadReceiver(this.settings.syslog().toString(), HeadReceiver.syslog(this.settings.syslog())));
        }
        if (this.settings.webhook() != null) {
            receivers.add(new HeadReceiver(this.settings.webhook().toString(), HeadReceiver.webhook(this.settings.webhook())));
        }
    }

    private static String signedText(String log, SignedHead head) {
        return String.join("\n", "rilvan head of the log of acts", log, Long.toString(head.seq()), head.digest(), head.at());
    }

    /** Signs a head and keeps it. @return the line to be sent out once that is stored */
    String sign(String log, Head head, String at) {
        SignedHead unsigned = new SignedHead(head.seq(), head.digest(), at, "");
        SignedHead signed = new SignedHead(head.seq(), head.digest(), at, key.sign(signedText(log, unsigned)));
        acts.addHead(signed);
        return line(log, signed);
    }

    /** Sends a line out. A receiver that cannot be reached misses this one; the next tells of all that is before it. */
    void send(String line) {
        receivers.forEach(receiver -> receiver.send(line));
    }

    /** All heads beyond an act, as they were sent out. */
    public void from(String log, long beyond, Consumer<String> to) {
        acts.eachHead(beyond, head -> to.accept(line(log, head)));
    }

    private String line(String log, SignedHead head) {
        return json.write(new TreeMap<>(Map.of("log", log, "seq", head.seq(), "digest", head.digest(), "at", head.at(), "signature", head.signature())));
    }

    boolean isSigned(String log, SignedHead head) {
        return key.isSigned(signedText(log, head), head.signature());
    }

    private void write(String line) {
        try {
            Files.writeString(settings.file(), line + "\n", StandardCharsets.UTF_8, StandardOpenOption.CREATE, StandardOpenOption.APPEND, StandardOpenOption.DSYNC);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** The heads of this log that went into the file, if there is one. */
    List<SignedHead> written(String log) {
        Path file = settings.file();
        if (file == null || !Files.exists(file)) {
            return List.of();
        }
        List<SignedHead> heads = new ArrayList<>();
        try {
            for (String text : Files.readAllLines(file)) {
                Line line = json.read(text, new TypeReference<>() {});
                if (log.equals(line.log())) {
                    heads.add(line.head());
                }
            }
        } catch (IOException | JacksonException e) {
            LOG.warn("the file of heads {} cannot be read: {}", file, e.getMessage());
        }
        return heads;
    }
}
