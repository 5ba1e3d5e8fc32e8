package rilvan.server.keys;

import jakarta.annotation.PreDestroy;
import java.io.UncheckedIOException;
import java.time.Duration;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BiConsumer;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.ops.Repeating;
import rilvan.server.store.SealedKeys;
import rilvan.server.store.SealedKeys.InstanceKey;
import rilvan.server.store.SealedKeys.KeyRow;
import rilvan.server.store.SealedKeys.SealedRow;

/**
 * Changing the key file while the service runs, in two steps: another key opens the store as well; and, when each instance has it in its file, the former one opens it no more. What is
 * sealed for this service alone (credentials, secrets of webhooks) is sealed with a new key meanwhile.
 */
@Component
public class KeyChange {

    private static final Duration LOOK = Duration.ofSeconds(5);

    private final SealedKeys keys;
    private final KeyFile file;
    private final KeyRing ring;
    private final ClusterMember member;
    private final TransactionTemplate transactions;
    private final Repeating looking = new Repeating("keys");

    KeyChange(SealedKeys keys, KeyFile file, KeyRing ring, ClusterMember member, TransactionTemplate transactions) {
        this.keys = keys;
        this.file = file;
        this.ring = ring;
        this.member = member;
        this.transactions = transactions;
        looking.begin(Duration.ZERO, LOOK, this::look);
    }

    /**
     * A key that opens the store.
     *
     * @param name twelve hexadecimal digits
     * @param instances those that are alive and have it in their key file
     */
    public record OpeningKey(String name, OffsetDateTime since, List<String> instances) {}

    /** It cannot be done now: why, and what to do. */
    public static final class Refused extends RuntimeException {
        Refused(String message) {
            super(message);
        }
    }

    /** No key of this name opens the store. */
    public static final class Unknown extends RuntimeException {
        Unknown(String name) {
            super("no key " + name + " opens this store");
        }
    }

    /** What other instances have changed is taken up before it is told that this one has its key. */
    private void look() {
        ring.renew();
        keys.tell(member.id(), file.name());
    }

    /** The keys that open the store, the oldest first: one, or two while it is changed. */
    public List<OpeningKey> all() {
        List<InstanceKey> instances = keys.instances();
        Map<String, OffsetDateTime> since = new LinkedHashMap<>();
        keys.all().stream().sorted(Comparator.comparing(KeyRow::since)).forEach(row -> since.putIfAbsent(row.openedBy(), row.since()));
        return since.entrySet().stream()
                .map(each -> new OpeningKey(each.getKey(), each.getValue(), instances.stream().filter(instance -> each.getKey().equals(instance.keyName())).map(InstanceKey::id).toList()))
                .toList();
    }

    /** The instances that are alive and would not start again, since their key file has no key that opens the store. */
    public List<String> shutOut() {
        List<String> names = keys.all().stream().map(KeyRow::openedBy).toList();
        return keys.instances().stream().filter(instance -> instance.keyName() != null && !names.contains(instance.keyName())).map(InstanceKey::id).toList();
    }

    /**
     * The key in the file beside this instance's key file, under the same name with {@code .next}, opens the store from now on, as the present one does.
     *
     * @throws Refused where there is no such file, or a change is under way
     */
    public OpeningKey add() {
        FileKey next = readable(file::next);
        FileKey now = readable(file::now);
        transactions.executeWithoutResult(status -> {
            keys.alone();
            List<KeyRow> rows = keys.all();
            List<String> names = rows.stream().map(KeyRow::openedBy).distinct().toList();
            if (names.contains(next.name())) {
                throw new Refused("the key " + next.name() + " opens this store already; put it in the place of " + file + " at each instance, and remove the former one");
            }
            if (names.size() > 1) {
                throw new Refused("a change is under way: " + String.join(" and ", names) + " open this store; remove one of them first");
            }
            if (!names.contains(now.name())) {
                throw new Refused("the key " + now.name() + " that is at " + file + " now does not open this store; put " + names.get(0) + " there");
            }
            for (KeyRow row : rows) {
                byte[] root = now.open(row.use(), row.number(), row.box()).orElseThrow();
                keys.put(row.use(), row.number(), next.name(), next.seal(row.use(), row.number(), root));
            }
            String credentials = Use.CREDENTIALS.text();
            int number = 1 + rows.stream().filter(row -> row.use().equals(credentials)).mapToInt(KeyRow::number).max().orElseThrow();
            byte[] root = AuthenticatedBox.random(KeyRing.ROOT_BYTES);
            for (FileKey each : List.of(now, next)) {
                keys.put(credentials, number, each.name(), each.seal(credentials, number, root));
            }
            List<byte[]> roots = new ArrayList<>(List.of(root));
            roots.addAll(ring.of(Use.CREDENTIALS));
            sealAnew(roots);
        });
        look();
        return all().stream().filter(each -> each.name().equals(next.name())).findFirst().orElseThrow();
    }

    /**
     * A key opens the store no more, nor do the former keys of what is sealed for this service alone.
     *
     * @throws Unknown where it does not open it now
     * @throws Refused where it is the only one, or an instance that is alive has not the other one in its key file
     */
    public void remove(String name) {
        look();
        transactions.executeWithoutResult(status -> {
            keys.alone();
            List<KeyRow> rows = keys.all();
            List<String> names = rows.stream().map(KeyRow::openedBy).distinct().toList();
            if (!names.contains(name)) {
                throw new Unknown(name);
            }
            String other = names.stream().filter(each -> !each.equals(name)).findFirst().orElseThrow(() -> new Refused("nothing but " + name + " opens this store; add another key first"));
            List<String> without = keys.instances().stream().filter(each -> !other.equals(each.keyName())).map(InstanceKey::id).toList();
            if (!without.isEmpty()) {
                throw new Refused("the key file of " + String.join(", ", without) + " has not " + other + "; put that key there, and wait " + LOOK.toSeconds() + " s");
            }
            sealAnew(ring.of(Use.CREDENTIALS));
            keys.removeBefore(Use.CREDENTIALS.text(), rows.stream().filter(row -> row.use().equals(Use.CREDENTIALS.text())).mapToInt(KeyRow::number).max().orElseThrow());
            keys.removeOpenedBy(name);
        });
        look();
    }

    /** What any of these keys opens is sealed with the first of them; what none opens stays, and is set again by whoever misses it. */
    private void sealAnew(List<byte[]> roots) {
        sealAnew(roots, keys.credentials(), name -> name, keys::sealCredential);
        sealAnew(roots, keys.webhooks(), CredentialVault::ofWebhook, keys::sealWebhook);
    }

    private static void sealAnew(List<byte[]> roots, List<SealedRow> rows, UnaryOperator<String> sealedAs, BiConsumer<String, byte[]> put) {
        for (SealedRow row : rows) {
            String name = sealedAs.apply(row.name());
            roots.stream().flatMap(root -> AuthenticatedBox.open(root, name, row.secret()).stream()).findFirst().ifPresent(secret -> {
                put.accept(row.name(), AuthenticatedBox.seal(roots.get(0), name, secret));
                Arrays.fill(secret, (byte) 0);
            });
        }
    }

    private static FileKey readable(Supplier<FileKey> file) {
        try {
            return file.get();
        } catch (FileKey.Unusable e) {
            throw new Refused(e.getMessage());
        } catch (UncheckedIOException e) {
            throw new Refused("a key file cannot be read: " + e.getCause().getMessage());
        }
    }

    @PreDestroy
    void close() {
        looking.close();
    }
}
