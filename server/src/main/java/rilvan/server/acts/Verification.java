package rilvan.server.acts;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.atomic.AtomicReference;
import org.springframework.stereotype.Component;
import org.springframework.transaction.PlatformTransactionManager;
import org.springframework.transaction.TransactionDefinition;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.store.Acts;
import rilvan.server.store.Acts.Head;
import rilvan.server.store.Acts.Segment;
import rilvan.server.store.Acts.SignedHead;

/** Works the whole chain out once more and holds it against its digests, the signed heads in the store, and those in the file. */
@Component
public class Verification {

    /** What is wrong is told up to so many times: all that follows a broken link is broken. */
    private static final int MOST_PROBLEMS = 20;

    private final Acts acts;
    private final SignedHeads heads;
    private final LogKey key;
    private final TransactionTemplate oneMoment;

    Verification(Acts acts, SignedHeads heads, LogKey key, PlatformTransactionManager transactions) {
        this.acts = acts;
        this.heads = heads;
        this.key = key;
        this.oneMoment = new TransactionTemplate(transactions);
        this.oneMoment.setIsolationLevel(TransactionDefinition.ISOLATION_REPEATABLE_READ);
        this.oneMoment.setReadOnly(true);
    }

    /**
     * What a verification came to.
     *
     * @param log which log this is
     * @param first the first act that is there; those before it were closed
     * @param last the last act that is sealed; 0 where there is none
     * @param digest the chain's at the last act
     * @param heads signed heads that were compared
     * @param open acts that wait to be sealed and are not protected yet
     * @param openSeconds how long the first of them waits
     * @param problems what is wrong, the first broken link first; empty where the log is whole
     */
    public record Verified(String log, long first, long last, String digest, int heads, int open, long openSeconds, List<Fault> problems) {}

    /** What is wrong at an act. */
    public record Fault(long seq, String message) {}

    /** What the chain is at one moment of the store, whatever is sealed meanwhile. */
    private record Chained(List<Segment> closed, Head beginning, Head end, int open, long openSeconds) {}

    /** Signatures are verified before and after the store is read: a transaction that is silent while something is worked out is ended by the store. */
    public Verified verify() {
        String log = acts.log();
        List<Fault> problems = new ArrayList<>();
        Map<Long, List<SignedHead>> sent = signed(log, problems);
        Chained chained = oneMoment.execute(status -> {
            List<Segment> closed = acts.segments();
            Head beginning = Sealing.beginning(log, closed);
            return new Chained(closed, beginning, links(beginning, sent, problems), acts.open(ActLog.MOST_OPEN), acts.oldestSeconds());
        });
        closed(log, chained.closed(), problems);
        Head end = chained.end();
        sent.values().stream().flatMap(List::stream).filter(head -> head.seq() > end.seq()).forEach(head -> add(problems, end.seq() + 1, "the log ends before this act, and a head of " + head.at()
                + " tells of acts up to " + head.seq() + ": the log was cut, or the store is an older copy"));
        return new Verified(log, chained.beginning().seq() + 1, end.seq(), end.digest(), sent.values().stream().mapToInt(List::size).sum(), chained.open(), chained.openSeconds(),
                problems.stream().sorted((a, b) -> Long.compare(a.seq(), b.seq())).limit(MOST_PROBLEMS).toList());
    }

    /** Follows the chain, and tells where it ends. */
    private Head links(Head beginning, Map<Long, List<SignedHead>> sent, List<Fault> problems) {
        AtomicReference<Head> at = new AtomicReference<>(beginning);
        acts.each(0, act -> {
            Head before = at.getAndSet(new Head(act.seq(), act.digest()));
            if (act.seq() != before.seq() + 1) {
                add(problems, before.seq() + 1, act.seq() == before.seq() + 2 ? "this act is missing" : "the acts from this one to " + (act.seq() - 1) + " are missing");
            } else if (!Chain.digest(before.digest(), act.act()).equals(act.digest())) {
                add(problems, act.seq(), "this act, or one before it, is not the one that was sealed: " + act.act());
            }
            sent.getOrDefault(act.seq(), List.of()).stream().filter(head -> !head.digest().equals(act.digest())).forEach(head ->
                    add(problems, act.seq(), "the head that was signed here at " + head.at() + " is of another log: acts up to this one were rewritten"));
        });
        return at.get();
    }

    /** The heads in the store and in the file that this service has signed, by their act. */
    private Map<Long, List<SignedHead>> signed(String log, List<Fault> problems) {
        List<SignedHead> all = new ArrayList<>(heads.written(log));
        acts.eachHead(0, all::add);
        Map<Long, List<SignedHead>> signed = new TreeMap<>();
        for (SignedHead head : all) {
            if (heads.isSigned(log, head)) {
                signed.computeIfAbsent(head.seq(), seq -> new ArrayList<>()).add(head);
            } else {
                add(problems, head.seq(), "the signature of the head of " + head.at() + " is not this service's");
            }
        }
        return signed;
    }

    private void closed(String log, List<Segment> closed, List<Fault> problems) {
        long expected = 1;
        for (Segment segment : closed) {
            if (segment.firstSeq() != expected) {
                add(problems, expected, "the acts from this one to " + (segment.firstSeq() - 1) + " are missing");
            }
            if (!key.isSigned(Sealing.signedText(log, new Head(segment.lastSeq(), segment.digest()), segment.closedAt()), segment.signature())) {
                add(problems, segment.firstSeq(), "the acts from this one to " + segment.lastSeq() + " are gone, and it was not the service that closed them");
            }
            expected = segment.lastSeq() + 1;
        }
    }

    private static void add(List<Fault> problems, long seq, String message) {
        problems.add(new Fault(seq, message));
    }
}
