package rilvan.server.inventory;

import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.springframework.stereotype.Component;
import rilvan.core.pool.Allocation;
import rilvan.core.pool.Pool;
import rilvan.core.pool.StoredAllocations;
import rilvan.server.store.Services;

/** What is taken from pools, as the store has it. */
@Component
public class DatabaseAllocations implements StoredAllocations {

    private static final int BATCH = 1000;

    private final Services services;

    public DatabaseAllocations(Services services) {
        this.services = services;
    }

    @Override
    public List<Allocation> heldBy(String service) {
        return services.heldBy(service);
    }

    @Override
    public Optional<Allocation> holder(String pool, String within, long number) {
        return services.holder(pool, within, number);
    }

    @Override
    public List<Allocation> takenWithin(String pool, String within) {
        return services.takenWithin(pool, within);
    }

    @Override
    public List<Allocation> takenBelow(String pool, String beginning) {
        return services.takenBelow(pool, beginning);
    }

    @Override
    public Optional<Long> lowestFree(Pool pool, String within, Set<Long> excluded) {
        long from = pool.first();
        while (from <= pool.to()) {
            List<Long> taken = services.taken(pool.name(), within, from, BATCH);
            Set<Long> gone = new HashSet<>(taken);
            long upTo = taken.size() < BATCH ? pool.to() : taken.get(taken.size() - 1);
            for (long number = from; number <= upTo; number += pool.stride()) {
                if (pool.has(number) && !gone.contains(number) && !excluded.contains(number)) {
                    return Optional.of(number);
                }
            }
            from = pool.first() + ((upTo - pool.first()) / pool.stride() + 1) * pool.stride();
        }
        return Optional.empty();
    }
}
