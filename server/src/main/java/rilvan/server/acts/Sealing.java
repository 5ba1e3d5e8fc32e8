package rilvan.server.acts;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Acts;
import rilvan.server.store.Acts.Head;
import rilvan.server.store.Acts.OpenAct;
import rilvan.server.store.Acts.SealedAct;
import rilvan.server.store.Acts.Segment;
import rilvan.server.store.Acts.SignedHead;

/**
 * Seals acts: takes those that have ended into the chain, in batches, one instance at a time; signs and sends out the chain's head; and closes what is older than it is
 * to be kept. Each instance remembers the head that it has seen last: a chain that has another digest there was rewritten, and nothing is added to it.
 */
@Component
public class Sealing {

    private static final Logger LOG = LoggerFactory.getLogger(Sealing.class);
    private static final Duration PAUSE = Duration.ofMillis(500);
    private static final Duration FIRST_CLOSING = Duration.ofMinutes(1);
    private static final Duration BETWEEN_CLOSINGS = Duration.ofHours(1);
    private static final int BATCH = 1_000;

    private final Acts acts;
    private final ActLog log;
    private final SignedHeads heads;
    private final LogKey key;
    private final TransactionTemplate transactions;
    private final Settings settings;
    private final Repeating sealing = new Repeating("sealing of acts");
    private final Repeating closing = new Repeating("closing of acts");
    private volatile Head seen;
    private volatile boolean broken;

    Sealing(Acts acts, ActLog log, SignedHeads heads, LogKey key, TransactionTemplate transactions, Settings settings, MeterRegistry figures) {
        this.acts = acts;
        this.log = log;
        this.heads = heads;
        this.key = key;
        this.transactions = transactions;
        this.settings = settings;
        Gauge.builder("rilvan.acts.open", () -> acts.open(ActLog.MOST_OPEN)).description("Acts that wait to be sealed").register(figures);
        Gauge.builder("rilvan.acts.broken", () -> broken ? 1 : 0).description("Whether this instance has seen that the log of acts was rewritten").register(figures);
    }

    @PostConstruct
    void begin() {
        sealing.begin(PAUSE, PAUSE, this::seal);
        closing.begin(FIRST_CLOSING, BETWEEN_CLOSINGS, this::close);
    }

    @PreDestroy
    void end() {
        sealing.close();
        closing.close();
    }

    /**
     * What one batch came to.
     *
     * @param head of the chain now
     * @param toSend a signed head, as a line; empty where none is due
     * @param more whether more acts wait
     */
    private record Sealed(Head head, String toSend, boolean more) {}

    void seal() {
        boolean more = true;
        while (more) {
            Optional<Sealed> sealed = Optional.ofNullable(transactions.execute(status -> acts.lockChain() ? sealBatch() : null));
            more = sealed.map(Sealed::more).orElse(false);
            sealed.ifPresent(batch -> {
                seen = batch.head();
                if (!batch.toSend().isEmpty()) {
                    heads.send(batch.toSend());
                }
            });
        }
    }

    /** @return nothing where the chain was rewritten */
    private Sealed sealBatch() {
        String id = acts.log();
        Head head = head(id);
        if (wasRewritten(id, head)) {
            return null;
        }
        List<OpenAct> open = log.toSeal(BATCH);
        if (!open.isEmpty()) {
            List<SealedAct> sealed = Chain.sealed(head, open);
            acts.addSealed(sealed);
            acts.dropOpen(open);
            SealedAct last = sealed.get(sealed.size() - 1);
            head = new Head(last.seq(), last.digest());
        }
        return new Sealed(head, signedWhereDue(id, head), open.size() == BATCH);
    }

    /** The head, signed; empty where it was sent already, or another one a moment ago. */
    private String signedWhereDue(String id, Head head) {
        SignedHead sent = acts.lastHead().orElse(null);
        if (head.seq() == 0 || sent != null && head.seq() <= sent.seq()) {
            return "";
        }
        // By the clock that all instances have in common.
        Instant now = acts.now().toInstant();
        boolean isDue = sent == null || sent.at().compareTo(ActLog.time(now.minus(settings.logHeads().interval()))) < 0;
        return isDue ? heads.sign(id, head, ActLog.time(now)) : "";
    }

    /** The last act of the chain, or what came before its first one. */
    private Head head(String id) {
        return acts.lastSealed().orElseGet(() -> beginning(id, acts.segments()));
    }

    static Head beginning(String id, List<Segment> closed) {
        return closed.isEmpty() ? Chain.beginning(id) : new Head(closed.get(closed.size() - 1).lastSeq(), closed.get(closed.size() - 1).digest());
    }

    private boolean wasRewritten(String id, Head head) {
        Head remembered = seen;
        if (remembered == null || remembered.equals(head)) {
            broken = false;
            return false;
        }
        // Somebody else may have sealed more, or closed a part, since.
        boolean follows = head.seq() > remembered.seq() && (remembered.equals(Chain.beginning(id)) || acts.sealed(remembered.seq()).map(remembered::equals)
                .orElseGet(() -> acts.segments().stream().anyMatch(segment -> segment.lastSeq() >= remembered.seq())));
        if (!follows && !broken) {
            LOG.error("the log of acts was rewritten: act {} had the digest {} when this instance saw it last, and the log ends at act {} now. Nothing is added to it until the service is started again; "
                    + "`rilvan log verify` tells more", remembered.seq(), remembered.digest(), head.seq());
        }
        broken = !follows;
        return broken;
    }

    /** Closes what is older than acts are kept. */
    void close() {
        transactions.executeWithoutResult(status -> {
            if (!acts.lockChain()) {
                return;
            }
            Instant closing = acts.now().toInstant();
            acts.lastBefore(ActLog.time(closing.minus(settings.actsKept()))).ifPresent(last -> {
                Head end = acts.sealed(last).orElseThrow();
                String now = ActLog.time(closing);
                acts.close(last, now, key.sign(signedText(acts.log(), end, now)));
                log.add(Origin.SERVICE, "close acts", new Act().about("acts up to", last).after(Map.of("digest", end.digest())), ActLog.Result.DONE, "");
                LOG.info("acts up to {} are older than {} and were closed", last, settings.actsKept());
            });
        });
    }

    static String signedText(String id, Head end, String at) {
        return String.join("\n", "rilvan closed acts", id, Long.toString(end.seq()), end.digest(), at);
    }
}
