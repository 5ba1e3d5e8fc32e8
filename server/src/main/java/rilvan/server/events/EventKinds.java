package rilvan.server.events;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Stream;

/** The kinds of event, as the triggers of the store write them. */
public final class EventKinds {

    /** All kinds. */
    public static final List<String> ALL = List.of("device.added", "device.host-key-changed", "device.removed", "draft.changed", "draft.dropped", "draft.made", "drift.found", "drift.left", "drift.settled", "emergency.released", "emergency.stopped",
            "freeze.added", "freeze.changed", "freeze.lifted", "library.in-force", "library.out-of-force", "library.published", "order.agreed", "order.agreement-lapsed", "order.begun", "order.ended", "order.placed", "order.postponed", "order.rehearsed", "order.rolling-back",
            "service.added", "service.changed", "service.ends-soon", "service.failing", "service.out-of-date", "service.removed", "service.renamed", "service.up-to-date", "service.working",
            "tenant.added", "tenant.removed", "tenant.renamed", "webhook.given-up", "webhook.tried");

    /** What may be asked for: a kind, or the first word of several. */
    public static final Set<String> KNOWN = ALL.stream().flatMap(kind -> Stream.of(kind, kind.substring(0, kind.indexOf('.')))).collect(TreeSet::new, Set::add, Set::addAll);

    private EventKinds() {}
}
