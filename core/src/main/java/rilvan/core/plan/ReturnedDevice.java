package rilvan.core.plan;

import java.util.TreeSet;
import rilvan.core.ledger.Ledger;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/** A device that becomes what it held at another time, but for what services have put there. */
final class ReturnedDevice {

    private ReturnedDevice() {}

    /**
     * @param now what it would hold otherwise
     * @param then what it held
     * @param services what services have put there: each of these nodes, and what leads to it, stays as it is now
     */
    static Node of(Node now, Node then, Ledger services) {
        return of(Path.ROOT, now, then, services);
    }

    private static Node of(Path here, Node now, Node then, Ledger services) {
        if (now == then) {
            return now;
        }
        Node below = Node.EMPTY;
        TreeSet<Step> steps = new TreeSet<>(now.children().keySet());
        steps.addAll(then.children().keySet());
        for (Step step : steps) {
            below = below.withChild(step, of(here.child(step), now.child(step).orElse(Node.EMPTY), then.child(step).orElse(Node.EMPTY), services));
        }
        boolean leadsToAService = !then.present() && !below.children().isEmpty();
        Node own = services.entries().containsKey(here) || leadsToAService ? now : then;
        return new Node(own.present(), own.value(), below.children());
    }
}
