package rilvan.server.inventory;

import java.util.ArrayDeque;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.Pool;
import rilvan.core.pool.Slot;
import rilvan.core.pool.StoredAllocations;

/**
 * What is taken from pools, as one planning sees it: free numbers are fetched in blocks, and those that are promised to other orders
 * which are just being placed are passed over. Close it when the order is placed. Not safe for several threads.
 */
public final class PlannedNumbers implements StoredAllocations, AutoCloseable {

    private final DatabaseAllocations stored;
    private final NumberPromises promises;
    private final boolean promising;
    private final Map<List<String>, Block> blocks = new HashMap<>();

    /** Free numbers of a place that were fetched, and from where on there may be more. */
    private static final class Block {
        private final Deque<Long> free = new ArrayDeque<>();
        private long from;
    }

    /** @param promising whether the numbers it finds are kept from others until it is closed */
    PlannedNumbers(DatabaseAllocations stored, NumberPromises promises, boolean promising) {
        this.stored = stored;
        this.promises = promises;
        this.promising = promising;
        if (promising) {
            promises.begin(this);
        }
    }

    @Override
    public List<Allocation> heldBy(String service) {
        return stored.heldBy(service);
    }

    @Override
    public Optional<Allocation> holder(String pool, String within, long number) {
        return stored.holder(pool, within, number);
    }

    @Override
    public Optional<String> keptBy(Allocation held) {
        return stored.keptBy(held);
    }

    @Override
    public List<Allocation> takenWithin(String pool, String within) {
        return stored.takenWithin(pool, within);
    }

    @Override
    public List<Allocation> takenBelow(String pool, String beginning) {
        return stored.takenBelow(pool, beginning);
    }

    @Override
    public Optional<Long> lowestFree(Pool pool, String within, Set<Long> excluded) {
        Block block = blocks.computeIfAbsent(List.of(pool.name(), within), place -> {
            Block fresh = new Block();
            fresh.from = pool.first();
            return fresh;
        });
        while (true) {
            while (!block.free.isEmpty()) {
                long number = block.free.poll();
                Slot slot = new Slot(pool.name(), within, number);
                if (!excluded.contains(number) && (promising ? promises.promise(slot, this) : !promises.isPromised(slot))) {
                    return Optional.of(number);
                }
            }
            if (block.from > pool.to()) {
                return Optional.empty();
            }
            List<Long> fetched = stored.free(pool, within, block.from);
            fetched.stream().filter(pool::has).forEach(block.free::add);
            block.from = fetched.size() < DatabaseAllocations.FETCHED_AT_ONCE ? pool.to() + 1 : fetched.get(fetched.size() - 1) + pool.stride();
        }
    }

    @Override
    public void close() {
        if (promising) {
            promises.end(this);
        }
    }
}
