package rilvan.server.orders.timing;

import com.github.kagkarlsson.scheduler.Clock;
import java.time.Instant;
import org.springframework.stereotype.Component;
import rilvan.server.cluster.ClusterMember;

/** The time by the clock of the store, which all instances share: that of the last beat of the lease, and what has gone by since on a clock that only counts. */
@Component
final class StoreClock implements Clock {

    private final ClusterMember member;

    StoreClock(ClusterMember member) {
        this.member = member;
    }

    @Override
    public Instant now() {
        return member.storeTime();
    }
}
