package rilvan.server.installation;

import java.lang.management.ManagementFactory;
import java.lang.management.MemoryPoolMXBean;
import java.lang.management.MemoryType;
import java.lang.management.MemoryUsage;
import java.util.Comparator;
import java.util.Objects;
import java.util.Optional;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;

/** How much of the heap is in use for good. */
@Component
@Order(12)
final class MemoryPart implements InstallationPart {

    private static final double MOSTLY_FULL = 0.9;

    @Override
    public Part look() {
        return afterCollection().map(usage -> {
            String found = Amount.size(usage.getUsed()) + " of " + Amount.size(usage.getMax()) + " of the heap were in use after the last collection";
            return usage.getUsed() < MOSTLY_FULL * usage.getMax() ? Part.well("memory", found) : Part.toBeLookedAt("memory", found, "give the service more: -Xmx in SERVICE_JVM");
        }).orElseGet(() -> Part.well("memory", "the heap was not collected yet"));
    }

    /** Of the largest pool that objects live in which stay; nothing before it was collected for the first time. */
    private static Optional<MemoryUsage> afterCollection() {
        return ManagementFactory.getMemoryPoolMXBeans().stream().filter(pool -> pool.getType() == MemoryType.HEAP).map(MemoryPoolMXBean::getCollectionUsage).filter(Objects::nonNull)
                .filter(usage -> usage.getMax() > 0).max(Comparator.comparingLong(MemoryUsage::getMax)).filter(usage -> usage.getUsed() > 0);
    }
}
