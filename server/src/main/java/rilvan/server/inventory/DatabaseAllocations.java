package rilvan.server.inventory;

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

    static final int FETCHED_AT_ONCE = 64;

    private final Services services;
    private final NumberPromises promises = new NumberPromises();

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
    public Optional<String> keptBy(Allocation held) {
        return services.keptBy(held.pool(), held.within(), held.number());
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
        return forPreview().lowestFree(pool, within, excluded);
    }

    /** What one preview sees: it keeps no number from anybody. */
    public StoredAllocations forPreview() {
        return new PlannedNumbers(this, promises, false);
    }

    /** What the planning of an order sees that is to be placed: what it finds free is promised to it until it is closed. */
    public PlannedNumbers forOrder() {
        return new PlannedNumbers(this, promises, true);
    }

    List<Long> free(Pool pool, String within, long from) {
        return services.free(pool.name(), within, from, pool.to(), pool.stride(), FETCHED_AT_ONCE);
    }
}
