package rilvan.core.ledger;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import org.pcollections.PSortedSet;
import org.pcollections.TreePSet;
import rilvan.core.ledger.Ledger.Entry;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Difference;
import rilvan.core.tree.EntryOrder;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/**
 * Works out what a device must hold when some services' statements about it change: merges them into the ledger, keeps what
 * others need, remembers what stood there before, and gives it back when the last owner goes.
 *
 * @param ledger the ledger as it will be
 * @param difference what changes on the device
 * @param conflicts what the order would overwrite or destroy; where there is any, there is no difference to send
 */
public record LedgerMerge(Ledger ledger, Difference difference, List<String> conflicts) {

    /** What one clause of a service says on the device. */
    public record Fragment(Owner owner, Node says) {}

    /** What an engineer decides about a conflict. */
    public enum Decision {

        /** What stands there gives way; it comes back when the last owner goes. */
        REPLACE,

        /** What stands there stays; where its last owner goes, it is nobody's of Rilvan's any more. */
        LEAVE,

        /** What somebody changed of what is managed is set again to what is ordered, or, where its last owner goes, to what stood there before. */
        RESTORE,

        /** What somebody has put into an entry that a service wants whole stays beside ours. */
        JOIN
    }

    private record MergedValue(String value, PSortedSet<Owner> owners) {}

    /**
     * @param ledger the ledger as it is
     * @param holds the device's configuration, as far as Rilvan knows it
     * @param services whose earlier statements are replaced by the fragments, if they have any left
     * @param whole which entries belong to one service whole
     * @param decisions what the engineer decided about nodes over which there is a conflict, each for all below it, too
     * @param left managed nodes that were changed outside Rilvan and that a person has decided to leave so
     */
    public static LedgerMerge work(Ledger ledger, Node holds, Set<String> services, List<Fragment> fragments, WholeEntries whole,
            Map<Path, Decision> decisions, Set<Path> left) {
        List<String> conflicts = new ArrayList<>();
        Map<Path, MergedValue> wanted = wanted(fragments, conflicts);
        Map<Path, Entry> after = new LinkedHashMap<>();
        List<Path> released = new ArrayList<>();
        ledger.entries().forEach((path, entry) -> {
            PSortedSet<Owner> staying = staying(entry.owners(), services);
            if (!staying.isEmpty()) {
                after.put(path, new Entry(entry.value(), staying, entry.prior()));
            } else if (!wanted.containsKey(path)) {
                released.add(path);
            }
        });
        List<Path> asFound = new ArrayList<>();
        wanted.forEach((path, want) -> {
            if (isSettled(path, want, holds, wanted, ledger, decisions, left, asFound, conflicts)) {
                stand(path, want, holds, wanted, ledger, after, whole, decisions, conflicts);
            }
        });
        Node target = holds;
        for (Fragment fragment : fragments) {
            target = target.merge(fragment.says());
        }
        for (Path path : asFound) {
            Node ours = target.at(path).orElse(Node.EMPTY);
            target = target.with(path, holds.at(path).filter(Node::present).map(found -> new Node(true, found.value(), ours.children())).orElse(Node.EMPTY));
        }
        if (decisions.containsValue(Decision.RESTORE) || released.stream().anyMatch(whole::has)) {
            SortedMap<Path, Path> additions = ledger.additions(holds, whole);
            target = withoutAdditions(target, additions, services, wanted, ledger, decisions);
            target = release(target, released, ledger, whole, decisions, conflicts);
            orphans(target, additions, decisions, conflicts);
        } else {
            target = release(target, released, ledger, whole, decisions, conflicts);
        }
        target = arrange(target, holds, fragments, released, conflicts);
        return new LedgerMerge(new Ledger(after), conflicts.isEmpty() ? Difference.between(holds, target) : Difference.NONE, List.copyOf(conflicts));
    }

    private static PSortedSet<Owner> staying(PSortedSet<Owner> owners, Set<String> services) {
        PSortedSet<Owner> staying = owners;
        for (Owner owner : owners) {
            staying = services.contains(owner.service()) ? staying.minus(owner) : staying;
        }
        return staying;
    }

    /**
     * Whether nobody has to decide about a wanted node, or somebody has: drift is neither overwritten nor kept unasked.
     *
     * @param asFound gathers nodes that stay as they were found
     */
    private static boolean isSettled(Path path, MergedValue want, Node holds, Map<Path, MergedValue> wanted, Ledger ledger, Map<Path, Decision> decisions,
            Set<Path> left, List<Path> asFound, List<String> conflicts) {
        Entry earlier = ledger.entries().get(path);
        Optional<String> found = holds.valueAt(path);
        if (earlier == null || earlier.says(found) || found.equals(Optional.of(want.value()))) {
            return true;
        }
        Optional<Decision> decided = decided(path, decisions, left);
        if (decided.isPresent()) {
            if (decided.get() == Decision.LEAVE) {
                asFound.add(path);
            }
            return true;
        }
        if (found.isPresent() || !isWithinGone(path, holds, wanted, ledger)) {
            String service = earlier.owners().first().service();
            conflicts.add(path + (found.isPresent() ? " is '" + found.get() + "' where " + service + " had set '" + earlier.value() + "'"
                    : " is gone, and " + service + " needs it")
                    + "; it was changed outside Rilvan. The decision 'restore' sets " + (want.value().isEmpty() ? "it again" : "'" + want.value() + "'")
                    + ", 'leave' leaves it as it is");
        }
        return false;
    }

    /** What a person has decided about drift at a node: for the node itself, or for the nearest one above it. */
    private static Optional<Decision> decided(Path path, Map<Path, Decision> decisions, Set<Path> left) {
        for (Path at = path; ; at = at.parent()) {
            Decision decision = decisions.get(at);
            if (decision == Decision.RESTORE || decision == Decision.LEAVE) {
                return Optional.of(decision);
            }
            if (left.contains(at)) {
                return Optional.of(Decision.LEAVE);
            }
            if (at.isRoot()) {
                return Optional.empty();
            }
        }
    }

    /** Whether an entry above is gone too, over which somebody decides anyway. */
    private static boolean isWithinGone(Path path, Node holds, Map<Path, MergedValue> wanted, Ledger ledger) {
        for (Path above = path.isRoot() ? path : path.parent(); !above.isRoot(); above = above.parent()) {
            if (ledger.entries().containsKey(above) && wanted.containsKey(above) && holds.at(above).filter(Node::present).isEmpty()) {
                return true;
            }
        }
        return false;
    }

    /** Puts a wanted node into the ledger, or says what stands in its way. */
    private static void stand(Path path, MergedValue want, Node holds, Map<Path, MergedValue> wanted, Ledger ledger, Map<Path, Entry> after,
            WholeEntries whole, Map<Path, Decision> decisions, List<String> conflicts) {
        Entry others = after.get(path);
        if (others != null && !others.value().equals(want.value())) {
            conflicts.add(contradiction(path, others.owners().first(), others.value(), want.owners().first(), want.value()));
            return;
        }
        Entry earlier = ledger.entries().get(path);
        Optional<Node> found = earlier == null ? holds.at(path).filter(Node::present) : Optional.empty();
        Optional<String> prior = earlier == null ? found.map(Node::value) : earlier.prior();
        if (earlier == null && prior.isPresent() && !prior.get().equals(want.value()) && !isDecided(Decision.REPLACE, path, decisions)) {
            conflicts.add(path + " is already set to '" + prior.get() + "' outside Rilvan; "
                    + want.owners().first().service() + " needs '" + want.value()
                    + "'. With the decision 'replace' Rilvan replaces it until the service is removed");
            return;
        }
        if (found.isPresent() && whole.has(path) && !isDecided(Decision.JOIN, path, decisions)) {
            Optional<Path> leftover = leftover(path, found.get(), wanted, decisions);
            if (leftover.isPresent()) {
                conflicts.add(path + " exists already outside Rilvan and contains " + leftover.get() + ", which "
                        + want.owners().first().service() + " does not allow there. Delete it on the device, or take the decision 'join' to keep both");
                return;
            }
        }
        after.put(path, new Entry(want.value(), others == null ? want.owners() : want.owners().plusAll(others.owners()), prior));
    }

    /** What somebody has put into entries that services have whole goes, where it is decided so, unless this very order asks for it. */
    private static Node withoutAdditions(Node target, Map<Path, Path> additions, Set<String> services, Map<Path, MergedValue> wanted, Ledger ledger, Map<Path, Decision> decisions) {
        Node result = target;
        for (Map.Entry<Path, Path> each : additions.entrySet()) {
            if (!wanted.containsKey(each.getKey()) && ledger.entries().get(each.getValue()).services().stream().anyMatch(services::contains) && isRestored(each.getKey(), decisions)) {
                result = result.with(each.getKey(), Node.EMPTY);
            }
        }
        return result;
    }

    /** What somebody has put beside an entry that goes, and that belongs to it, does not stay behind unasked. */
    private static void orphans(Node target, Map<Path, Path> additions, Map<Path, Decision> decisions, List<String> conflicts) {
        additions.forEach((path, entry) -> {
            if (target.at(entry).isEmpty() && target.at(path).isPresent() && !isDecided(Decision.LEAVE, path, decisions)) {
                conflicts.add(entry + " cannot be removed: " + path + " from outside Rilvan belongs to it. The decision 'restore' removes that too, 'leave' leaves it behind");
            }
        });
    }

    /** Something in an entry that nobody of this order wants there. */
    private static Optional<Path> leftover(Path at, Node entry, Map<Path, MergedValue> wanted, Map<Path, Decision> decisions) {
        return entry.presentNodes().entrySet().stream().filter(each -> !each.getKey().isRoot() && !isOrder(each.getKey()))
                .filter(each -> !wants(wanted, at.append(each.getKey()), each.getValue().value(), decisions)).map(each -> at.append(each.getKey())).findFirst();
    }

    /** Whether this order wants a node as it is, or another value in its place that somebody has decided to put there. */
    private static boolean wants(Map<Path, MergedValue> wanted, Path path, String value, Map<Path, Decision> decisions) {
        return wanted.containsKey(path) && (wanted.get(path).value().equals(value) || isDecided(Decision.REPLACE, path, decisions));
    }

    private static Map<Path, MergedValue> wanted(List<Fragment> fragments, List<String> conflicts) {
        Map<Path, MergedValue> wanted = new LinkedHashMap<>();
        for (Fragment fragment : fragments) {
            PSortedSet<Owner> alone = TreePSet.singleton(fragment.owner());
            fragment.says().eachPresent((path, node) -> {
                if (isOrder(path)) {
                    return;
                }
                MergedValue earlier = wanted.get(path);
                if (earlier == null) {
                    wanted.put(path, new MergedValue(node.value(), alone));
                } else if (earlier.value().equals(node.value())) {
                    wanted.put(path, new MergedValue(node.value(), earlier.owners().plus(fragment.owner())));
                } else {
                    conflicts.add(contradiction(path, earlier.owners().first(), earlier.value(), fragment.owner(), node.value()));
                }
            });
        }
        return wanted;
    }

    private static String contradiction(Path path, Owner one, String oneSays, Owner other, String otherSays) {
        return path + " would be '" + oneSays + "' for " + one.service() + " (" + one.clause() + ") and '" + otherSays + "' for "
                + other.service() + " (" + other.clause() + ")";
    }

    private static boolean isOrder(Path path) {
        return !path.isRoot() && EntryOrder.listOf(path.last()).isPresent();
    }

    /** Gives back what the last owner leaves, what stands deepest first. */
    private static Node release(Node target, List<Path> released, Ledger ledger, WholeEntries whole, Map<Path, Decision> decisions, List<String> conflicts) {
        Node result = target;
        Set<Path> left = new HashSet<>();
        List<Path> deepestFirst = new ArrayList<>(released);
        deepestFirst.sort(Comparator.comparingInt((Path path) -> path.steps().size()).reversed().thenComparing(Comparator.naturalOrder()));
        for (Path path : deepestFirst) {
            Entry entry = ledger.entries().get(path);
            Optional<Node> now = result.at(path).filter(Node::present);
            Optional<String> says = now.map(Node::value);
            if (says.equals(entry.prior())) {
                continue;
            }
            if (isDecided(Decision.LEAVE, path, decisions) || left.stream().anyMatch(path::covers)) {
                left.add(path);
            } else if (!entry.says(says) && !isRestored(path, decisions)) {
                conflicts.add(path + " is " + says.map(value -> "'" + value + "'").orElse("nothing") + " where "
                        + entry.owners().first().service() + " had set '" + entry.value()
                        + "'; it was changed outside Rilvan. The decision 'restore' sets what was there before the service, 'leave' leaves it as it is");
            } else if (entry.prior().isPresent()) {
                result = result.with(path, new Node(true, entry.prior().get(), now.map(Node::children).orElse(Node.EMPTY.children())));
            } else if (onlyOrders(now.orElseThrow())) {
                result = result.with(path, Node.EMPTY);
            } else {
                conflicts.add(path + " cannot be removed: it contains " + foreign(path, now.get())
                        + " from outside Rilvan. The decision 'leave' leaves both" + (whole.covers(path) ? ", 'restore' removes both" : ""));
            }
        }
        return result;
    }

    private static boolean isRestored(Path path, Map<Path, Decision> decisions) {
        return isDecided(Decision.RESTORE, path, decisions);
    }

    /** Whether somebody has decided so about a node, or about one above it. */
    private static boolean isDecided(Decision decision, Path path, Map<Path, Decision> decisions) {
        return decisions.entrySet().stream().anyMatch(each -> each.getValue() == decision && each.getKey().covers(path));
    }

    /** Orders of lists that have no entries left do not count as something that stands there. */
    private static boolean onlyOrders(Node node) {
        return node.presentNodes().keySet().stream().allMatch(path -> path.isRoot() || isOrder(path));
    }

    private static Path foreign(Path at, Node node) {
        return node.presentNodes().keySet().stream().filter(path -> !path.isRoot() && !isOrder(path)).map(at::append).findFirst().orElse(at);
    }

    /** Puts the entries of lists that the user orders in their places: what stood there keeps its order, what comes new says where. */
    private static Node arrange(Node target, Node holds, List<Fragment> fragments, List<Path> released, List<String> conflicts) {
        Map<Path, List<EntryOrder.PlacedEntry>> lists = new TreeMap<>();
        for (Fragment fragment : fragments) {
            fragment.says().eachPresent((path, node) -> {
                if (isOrder(path)) {
                    lists.computeIfAbsent(path, at -> new ArrayList<>()).addAll(EntryOrder.parse(node.value()).entries());
                }
            });
        }
        for (Path path : released) {
            if (!path.isRoot()) {
                Path order = path.parent().child(EntryOrder.step(path.last().name()));
                if (holds.at(order).isPresent()) {
                    lists.putIfAbsent(order, List.of());
                }
            }
        }
        Node result = target;
        for (Map.Entry<Path, List<EntryOrder.PlacedEntry>> each : lists.entrySet()) {
            String list = EntryOrder.listOf(each.getKey().last()).orElseThrow();
            Path parent = each.getKey().parent();
            EntryOrder order = EntryOrder.in(holds.at(parent).orElse(Node.EMPTY), list);
            for (List<String> keys : order.keys()) {
                if (target.at(parent.child(new Step(list, keys))).isEmpty()) {
                    order = order.without(keys);
                }
            }
            for (EntryOrder.PlacedEntry placed : each.getValue()) {
                Optional<EntryOrder> with = order.with(placed);
                if (with.isEmpty()) {
                    conflicts.add(parent.child(new Step(list, placed.keys())) + " is to go " + placed.place().name().toLowerCase(Locale.ROOT)
                            + " " + parent.child(new Step(list, placed.anchor().orElseThrow())) + ", which does not exist");
                }
                order = with.orElse(order);
            }
            if (result.at(parent).isPresent()) {
                result = result.with(each.getKey(), order.entries().isEmpty() ? Node.EMPTY : Node.leaf(order.toString()));
            }
        }
        return result;
    }
}
