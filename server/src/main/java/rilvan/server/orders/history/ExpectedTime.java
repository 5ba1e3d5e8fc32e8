package rilvan.server.orders.history;

import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import rilvan.server.store.Orders.Took;

/** How long an order will take, by what orders over about as many devices took. */
public final class ExpectedTime {

    /** Orders of each size that are asked for. */
    public static final int ALIKE = 5;

    private ExpectedTime() {}

    /**
     * The median of those over half to twice as many devices, or else of those that come closest; one over fewer devices counts in proportion.
     *
     * @param devices on which the order changes something
     * @return whole seconds, at least one; nothing where no order was done yet
     */
    public static Optional<Long> seconds(List<Took> took, int devices) {
        List<Took> alike = took.stream().filter(each -> 2 * each.devices() >= devices && each.devices() <= 2 * devices).toList();
        if (alike.isEmpty()) {
            int closest = took.stream().mapToInt(Took::devices).boxed().min(Comparator.comparingInt(each -> Math.abs(each - devices))).orElse(0);
            alike = took.stream().filter(each -> each.devices() == closest).toList();
        }
        List<Double> seconds = alike.stream().map(each -> each.seconds() * Math.max(1, devices / (double) Math.max(1, each.devices()))).sorted().toList();
        return seconds.isEmpty() ? Optional.empty() : Optional.of(Math.max(1, Math.round(seconds.get(seconds.size() / 2))));
    }
}
