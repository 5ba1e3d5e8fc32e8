package rilvan.server.acts;

import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.TransactionException;
import rilvan.core.document.Digest;
import rilvan.core.document.PlainText;
import rilvan.core.document.Secret;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.store.Acts;
import rilvan.server.store.Acts.OpenAct;
import rilvan.server.store.Json;
import tools.jackson.core.type.TypeReference;

/**
 * Where acts are told. A request is in the store before it is carried out, and its result is added when it is answered; so an act whose instance died in between is kept
 * as well. Neither waits for the disk: the store writes in sequence, so that whatever the request itself has stored for good comes after it.
 */
@Component
public class ActLog {

    private static final Logger LOG = LoggerFactory.getLogger(ActLog.class);
    /** Characters of one value before or after; longer ones are kept as their digest. */
    private static final int LONGEST = 20_000;
    private static final int LONGEST_WHY = 500;
    /** Acts that may wait to be sealed. */
    public static final int MOST_OPEN = 10_000;
    /** Always with six digits of a second, so that texts compare as times do. */
    private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("uuuu-MM-dd'T'HH:mm:ss.SSSSSS'Z'").withZone(ZoneOffset.UTC);
    private static final TypeReference<Object> ANY = new TypeReference<>() {};

    private final Acts acts;
    private final Json json;
    private final ClusterMember member;
    private final Set<Long> underWay = ConcurrentHashMap.newKeySet();

    ActLog(Acts acts, Json json, ClusterMember member) {
        this.acts = acts;
        this.json = json;
        this.member = member;
    }

    /** What became of an act. */
    public enum Result {
        DONE, REFUSED, FAILED, NOT_KNOWN;

        String words() {
            return name().toLowerCase(Locale.ROOT).replace('_', ' ');
        }
    }

    /** So many acts wait to be sealed that no more are taken. */
    public static final class Full extends RuntimeException {
        Full() {
            super("more than " + MOST_OPEN + " acts wait to be sealed in the log of acts, so nothing else is done; the log of the service says why they are not sealed");
        }
    }

    /** An act that is being done. */
    public record Begun(long id, Instant at, Origin origin, String what, Act act) {}

    /** @throws Full where too many wait to be sealed */
    public Begun begin(Origin origin, String what, Act act) {
        Instant at = Instant.now();
        long id = acts.begin(member.id(), text(at, origin, what, act, Result.NOT_KNOWN, ""), MOST_OPEN).orElseThrow(Full::new);
        underWay.add(id);
        return new Begun(id, at, origin, what, act);
    }

    /** The request has been answered. Where the store is away its result stays unknown, which is what the log says then. */
    public void end(Begun begun, Result result, String why) {
        String text = text(begun.at(), begun.origin(), begun.what(), begun.act(), result, why);
        try {
            if (acts.end(begun.id(), text) == 0) {
                acts.add(member.id(), text);
            }
        } catch (DataAccessException | TransactionException e) {
            LOG.warn("the result of '{}' by {} could not be kept in the log of acts: {}", begun.what(), begun.origin().who(), e.getMessage());
        } finally {
            underWay.remove(begun.id());
        }
    }

    /** Acts that can be sealed; those that nobody will end any more, since the store was away or forgot it, as they were begun: their result is not known. */
    List<OpenAct> toSeal(int most) {
        return acts.toSeal(member.id(), underWay, most);
    }

    /** An act that is done already; kept with the database transaction that it is part of, if there is one. */
    public void add(Origin origin, String what, Act act, Result result, String why) {
        acts.add(member.id(), text(Instant.now(), origin, what, act, result, why));
    }

    /** A time as acts have it, in UTC. */
    public static String time(Instant at) {
        return TIME.format(at);
    }

    private String text(Instant at, Origin origin, String what, Act act, Result result, String why) {
        Map<String, Object> fields = new TreeMap<>();
        fields.put("at", time(at));
        fields.put("who", PlainText.cleaned(origin.who(), LONGEST_WHY));
        fields.put("address", origin.address());
        fields.put("token", origin.token());
        fields.put("request", origin.request());
        fields.put("act", what);
        fields.put("about", act.things().stream().map(each -> PlainText.cleaned(each, LONGEST_WHY)).toList());
        fields.put("result", result.words());
        if (!why.isEmpty()) {
            fields.put("why", PlainText.cleaned(Secret.masked(why), LONGEST_WHY));
        }
        value(fields, "before", act.before());
        value(fields, "after", act.after());
        return json.write(fields);
    }

    private void value(Map<String, Object> fields, String name, Object value) {
        if (value != null) {
            String text = Secret.masked(json.write(value).replace("\\u0000", ""));
            fields.put(name, text.length() > LONGEST ? Map.of("sha-256", Digest.of(text), "characters", text.length()) : json.read(text, ANY));
        }
    }
}
