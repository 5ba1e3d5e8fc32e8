package rilvan.core.plan;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import rilvan.core.check.Check;
import rilvan.core.check.CheckSelection;
import rilvan.core.dialect.NativeLine;
import rilvan.core.ledger.Ledger;
import rilvan.core.model.Expansion;
import rilvan.core.network.DeviceKind;
import rilvan.core.pool.Allocation;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.tree.Node;

/**
 * What an order would change.
 *
 * @param outcomes what becomes of each service it names
 * @param devices each device on which something is said that was not said before, in the order of names
 * @param allocations all numbers the services hold when it is done
 */
public record Plan(OrderDocument order, List<Outcome> outcomes, Map<String, DevicePlan> devices, List<Allocation> allocations) {

    private static final int MOST_NAMED = 8;

    /** What an order does with a service. */
    public enum ChangeKind {
        ADD, CHANGE, REMOVE, KEEP
    }

    /**
     * What becomes of one service.
     *
     * @param expansion absent where it is removed
     * @param devices where it has a footprint afterwards, each with a digest of what it says there
     */
    public record Outcome(String service, ChangeKind kind, Optional<Expansion> expansion, Map<String, String> devices) {}

    /**
     * One device's part.
     *
     * @param ledger its ledger as it will be
     * @param before what changes and what it stands in, as it is now
     * @param after the same as it will be
     */
    public record DevicePlan(DeviceChange part, Ledger ledger, Node before, Node after) {

        /** What changes, as people read it, in the device's own syntax. */
        public List<NativeLine> lines() {
            return part.codec().lines(before, after);
        }
    }

    /** Whether everything is as the order wants it already. */
    public boolean changesNothing() {
        return outcomes.stream().allMatch(outcome -> outcome.kind() == ChangeKind.KEEP);
    }

    /** The devices on which something changes. */
    public List<DeviceChange> parts() {
        return devices.values().stream().map(DevicePlan::part).filter(part -> !part.difference().isEmpty()).toList();
    }

    /** All that can be looked for. */
    public List<Check> checks() {
        return outcomes.stream().flatMap(outcome -> outcome.expansion().stream())
                .flatMap(expansion -> expansion.checks().stream()).toList();
    }

    /** What it is proven by. */
    public CheckSelection proof() {
        return CheckSelection.of(checks(), parts().stream().map(DeviceChange::device).collect(Collectors.toSet()));
    }

    /** What this order's mix of devices can and cannot guarantee, in a sentence or two. */
    public String guarantee() {
        boolean flaps = outcomes.stream().anyMatch(outcome -> outcome.kind() == ChangeKind.CHANGE);
        return ofTheDevices() + (!order.each() || outcomes.size() < 2 ? "" : " Should a service fail, all go back and are tried again without it"
                + (flaps ? "; those that stand already are as they were meanwhile." : ".")) + ofTheProof();
    }

    private String ofTheProof() {
        CheckSelection proof = proof();
        return proof.left() == 0 ? "" : " Of " + (proof.checks().size() + proof.left()) + " checks, " + proof.checks().size()
                + " are made: all that begin or end on what changes, and some of the others.";
    }

    private String ofTheDevices() {
        List<String> weak = parts().stream().filter(part -> part.kind() != DeviceKind.REVOCABLE).map(DeviceChange::device).toList();
        int count = parts().size();
        if (count == 0) {
            return "No device changes.";
        }
        if (!weak.isEmpty()) {
            return named(weak) + (weak.size() == 1 ? " cannot go back by itself: it changes" : " cannot go back by themselves: they change, one by one,")
                    + (weak.size() == count ? "" : " after all others can still go back,")
                    + " and " + (weak.size() == 1 ? "is" : "are") + " undone from what is read there should the proof fail.";
        }
        return switch (count) {
            case 1 -> parts().get(0).device() + " can go back until the proof has been seen: it changes whole or not at all.";
            case 2 -> "Both devices can go back until the proof has been seen: they change together or not at all.";
            default -> "All " + count + " devices can go back until the proof has been seen: they change together or not at all.";
        };
    }

    private static String named(List<String> devices) {
        return devices.size() <= MOST_NAMED ? String.join(", ", devices)
                : String.join(", ", devices.subList(0, MOST_NAMED)) + " and " + (devices.size() - MOST_NAMED) + " others";
    }
}
