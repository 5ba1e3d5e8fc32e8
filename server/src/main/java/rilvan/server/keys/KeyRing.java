package rilvan.server.keys;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.ops.StartRefused;
import rilvan.server.store.SealedKeys;
import rilvan.server.store.SealedKeys.KeyRow;

/** The keys of this store, opened with the key file when the service starts; it needs the file no more until it starts again. */
@Component
public final class KeyRing implements Roots {

    static final int ROOT_BYTES = 32;

    private final SealedKeys keys;
    private final KeyFile file;
    private final FileKey first;
    private volatile Map<Use, List<byte[]>> roots;

    public KeyRing(SealedKeys keys, KeyFile file, TransactionTemplate transactions) {
        this.keys = keys;
        this.file = file;
        try {
            first = file.now();
        } catch (FileKey.Unusable e) {
            throw new StartRefused(e.getMessage() + ".", "Put the key of this store there; a new store takes any: head -c 32 /dev/urandom, mode 0600.");
        }
        transactions.executeWithoutResult(status -> begin());
        roots = opened(List.of(first)).orElseThrow(this::otherKey);
    }

    /** The first start on a store makes its keys. One of before has what the key file's key itself has sealed. */
    private void begin() {
        keys.alone();
        if (keys.all().isEmpty()) {
            boolean fromFile = keys.isSealedByFile();
            for (Use use : Use.values()) {
                keys.put(use.text(), 1, first.name(), first.seal(use.text(), 1, fromFile ? first.bytes() : AuthenticatedBox.random(ROOT_BYTES)));
            }
        }
    }

    private StartRefused otherKey() {
        String known = keys.all().stream().map(KeyRow::openedBy).distinct().sorted().collect(Collectors.joining(" and "));
        return new StartRefused("The key at " + file + " (" + first.name() + ") does not open this store; what opens it is " + known + ".",
                "Put that key there. A backup has the key beside the store it belongs to.");
    }

    @Override
    public List<byte[]> of(Use use) {
        return roots.get(use);
    }

    @Override
    public void renew() {
        List<FileKey> files = new ArrayList<>();
        try {
            files.add(file.now());
        } catch (FileKey.Unusable e) {
            // The one that it started with does as long as it opens the store.
        }
        files.add(first);
        opened(files).ifPresent(renewed -> roots = renewed);
    }

    private Optional<Map<Use, List<byte[]>>> opened(List<FileKey> files) {
        List<KeyRow> rows = keys.all();
        for (FileKey each : files) {
            Map<Use, List<byte[]>> opened = new EnumMap<>(Use.class);
            for (Use use : Use.values()) {
                opened.put(use, rows.stream().filter(row -> row.use().equals(use.text()) && row.openedBy().equals(each.name())).sorted(Comparator.comparing(KeyRow::number).reversed())
                        .flatMap(row -> each.open(row.use(), row.number(), row.box()).stream()).toList());
            }
            if (opened.values().stream().noneMatch(List::isEmpty)) {
                return Optional.of(opened);
            }
        }
        return Optional.empty();
    }
}
