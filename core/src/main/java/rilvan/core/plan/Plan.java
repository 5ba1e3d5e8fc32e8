package rilvan.core.plan;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Check;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Secret;
import rilvan.core.drift.Drift;
import rilvan.core.ledger.Ledger;
import rilvan.core.model.Expansion;
import rilvan.core.network.DeviceKind;
import rilvan.core.pool.Allocation;
import rilvan.core.transaction.DeviceChange;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;

/**
 * What an order would change.
 *
 * @param order as it was given
 * @param outcomes what becomes of each service it names, and of their components
 * @param devices each device on which something is said that was not said before, in the order of names
 * @param unasked by family, the observations that it has no command for, of checks that are therefore not run
 * @param drift what was changed outside Rilvan and this order leaves so, by device; without what a person has decided to leave
 * @param allocations all numbers the services hold when it is done
 * @param services the version of every service that it was made from; -1 where none stands
 */
public record Plan(OrderDocument order, List<Outcome> outcomes, Map<String, DevicePlan> devices, Map<String, Set<String>> unasked, Map<String, List<Drift>> drift,
        List<Allocation> allocations, Map<String, Long> services) {

    private static final int MOST_NAMED = 8;
    private static final String DIFFERS = " Changed outside Rilvan, and not changed by this order: ";

    /** What an order does with a service. */
    public enum ChangeKind {
        ADD, CHANGE, REMOVE, KEEP
    }

    /**
     * What becomes of one service.
     *
     * @param expansion absent where it is removed
     * @param devices where it has a footprint afterwards, each with a digest of what it says there
     * @param formerly its name before the order
     * @param refersTo the services that it refers to afterwards
     * @param tenants those that its parameters refer to afterwards
     * @param formerTenant whom it was for before; absent where it did not stand
     * @param formerModel of which model it was then
     * @param componentOf the service that contains it; absent where it stands for itself
     */
    public record Outcome(String service, ChangeKind kind, Optional<Expansion> expansion, Map<String, String> devices, String formerly, Set<String> refersTo,
            Set<String> tenants, Optional<String> formerTenant, Optional<String> formerModel, Optional<String> componentOf) {

        /** Of which model it is, before and afterwards. */
        public Set<String> isOf() {
            return Stream.concat(formerModel.stream(), expansion.stream().map(each -> each.service().model())).collect(Collectors.toSet());
        }

        /** Whom it is for, before and afterwards. */
        public Set<String> isFor() {
            return Stream.concat(formerTenant.stream(), expansion.stream().map(each -> each.service().tenant())).collect(Collectors.toSet());
        }
    }

    /**
     * One device's part.
     *
     * @param former its ledger as it is now
     * @param ledger its ledger as it will be
     * @param before what changes and what is around it, as it is now
     * @param after the same as it will be
     * @param drift the managed nodes, of all services, that were changed outside Rilvan, that nobody has decided about and that stay so
     * @param services those, of all that are on the device, of which a node changes
     * @param limits what the device cannot do that others can, and what follows from it
     */
    public record DevicePlan(DeviceChange part, Ledger former, Ledger ledger, Node before, Node after, List<Drift> drift, Set<String> services, List<String> limits) {

        /** What changes, as people read it, in the device's own syntax. */
        public List<NativeLine> lines() {
            return part.codec().lines(before, after);
        }

        /** Those of them that stand for nodes of some services, and what leads there. */
        public List<NativeLine> linesOf(Collection<String> services) {
            Set<Path> own = Stream.of(former, ledger).flatMap(each -> each.entries().entrySet().stream()).filter(entry -> services.stream().anyMatch(entry.getValue()::ownedBy)).map(Map.Entry::getKey)
                    .collect(Collectors.toSet());
            Set<Path> shown = new HashSet<>();
            lines().stream().map(line -> Path.parse(line.at())).filter(own::contains).forEach(path -> {
                for (int steps = 1; steps <= path.steps().size(); steps++) {
                    shown.add(new Path(path.steps().subList(0, steps)));
                }
            });
            return lines().stream().filter(line -> shown.contains(Path.parse(line.at()))).toList();
        }
    }

    /** The lines of some services, by device; without devices on which they have none. */
    public Map<String, List<NativeLine>> linesOf(Collection<String> services) {
        Map<String, List<NativeLine>> lines = new LinkedHashMap<>();
        devices.forEach((device, each) -> {
            List<NativeLine> own = each.linesOf(services);
            if (own.stream().anyMatch(line -> line.sign() != NativeLine.Sign.AROUND)) {
                lines.put(device, own.stream().map(NativeLine::masked).toList());
            }
        });
        return lines;
    }

    /** Whether everything is as the order wants it already. */
    public boolean changesNothing() {
        return outcomes.stream().allMatch(outcome -> outcome.kind() == ChangeKind.KEEP) && parts().isEmpty();
    }

    /** Whom it is for, before and afterwards. */
    public Set<String> isFor() {
        return outcomes.stream().flatMap(outcome -> outcome.isFor().stream()).collect(Collectors.toSet());
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
    public PlaceCoverage coverage() {
        return PlaceCoverage.of(outcomes.stream().flatMap(outcome -> outcome.expansion().stream()).toList(),
                parts().stream().map(DeviceChange::device).collect(Collectors.toSet()));
    }

    /** What this order's mix of devices can and cannot guarantee, in a sentence or two. */
    public String guarantee() {
        boolean flaps = outcomes.stream().anyMatch(outcome -> outcome.kind() == ChangeKind.CHANGE);
        return ofTheDevices() + limits() + (!order.byService() || outcomes.stream().filter(outcome -> outcome.componentOf().isEmpty()).count() < 2 ? "" : " If a service fails, all devices are rolled back and the order is tried again without that service"
                + (flaps ? "; services that exist already work as before in the meantime." : "."))
                + (outcomes.stream().allMatch(outcome -> outcome.expansion().isEmpty()) || changesNothing() ? "" : " " + coverage().inWords() + AskedChecks.inWords(unasked));
    }

    /** The guarantee, and what differs on the devices of this order and stays so: what is kept with an order. */
    public String summary() {
        List<String> nodes = drift.entrySet().stream().flatMap(device -> device.getValue().stream().map(each -> Secret.masked(device.getKey() + " " + each.inWords()))).toList();
        return guarantee() + (nodes.isEmpty() ? "" : DIFFERS + named(nodes, MOST_NAMED) + ".");
    }

    /** Just the guarantee in a summary. */
    public static String guarantee(String summary) {
        int differs = summary.indexOf(DIFFERS);
        return differs < 0 ? summary : summary.substring(0, differs);
    }

    private String limits() {
        Map<String, List<String>> devicesOf = new LinkedHashMap<>();
        devices.values().stream().filter(device -> !device.part().difference().isEmpty()).forEach(device -> device.limits().forEach(limit ->
                devicesOf.computeIfAbsent(limit, each -> new ArrayList<>()).add(device.part().device())));
        StringBuilder text = new StringBuilder();
        devicesOf.forEach((limit, names) -> text.append(' ').append(named(names, MOST_NAMED)).append(": ").append(limit).append('.'));
        return text.toString();
    }

    private String ofTheDevices() {
        List<String> weak = parts().stream().filter(part -> part.kind() != DeviceKind.CONFIRMED_COMMIT).map(DeviceChange::device).toList();
        int count = parts().size();
        if (count == 0) {
            return "No device changes.";
        }
        if (weak.isEmpty()) {
            return (switch (count) {
                case 1 -> parts().get(0).device() + " changes with a confirmed commit";
                case 2 -> "Both devices change with a confirmed commit";
                default -> "All " + count + " devices change with a confirmed commit";
            }) + ": if a check fails, or the session is lost, " + (count == 1 ? "it rolls" : "they roll") + " back.";
        }
        return (weak.size() == count ? "" : (count - weak.size() == 1 ? "One device changes" : (count - weak.size()) + " devices change")
                + " with a confirmed commit and can roll back by " + (count - weak.size() == 1 ? "itself" : "themselves") + ". ")
                + named(weak, MOST_NAMED) + (weak.size() == 1 ? " has no confirmed commit: it changes" : " have no confirmed commit: " + inGroups())
                + (weak.size() == count ? "" : ", after the others")
                + ". If a check fails, Rilvan reads " + (weak.size() == 1 ? "it" : "them") + " and undoes the change.";
    }

    private String inGroups() {
        boolean groups = Stream.of(DeviceKind.values()).filter(kind -> kind != DeviceKind.CONFIRMED_COMMIT)
                .anyMatch(kind -> parts().stream().filter(part -> part.kind() == kind).count() > 2);
        return groups ? "one of each kind changes first, the rest " + DeviceKind.CHANGED_AT_ONCE + " at a time" : "they change one by one";
    }

    /** A few of some names, and how many more there are. */
    public static String named(List<String> names, int most) {
        return names.size() <= most ? String.join(", ", names)
                : String.join(", ", names.subList(0, most)) + " and " + (names.size() - most) + " others";
    }
}
