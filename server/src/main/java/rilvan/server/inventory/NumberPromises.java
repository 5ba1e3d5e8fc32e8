package rilvan.server.inventory;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import rilvan.core.pool.Slot;

/**
 * Which free numbers are promised to which planning of this instance, so that orders that are placed at the same time do not all choose the
 * lowest one, of which only the first would get it. Between instances the store's unique constraint has the last word.
 */
final class NumberPromises {

    private final Map<Slot, Object> promised = new HashMap<>();
    /** Plannings under way, each with those that have ended since it began: it may have asked the store before these took their numbers. */
    private final Map<Object, List<Object>> underWay = new HashMap<>();

    synchronized void begin(Object planning) {
        underWay.put(planning, new ArrayList<>());
    }

    /** Promises a number; false where it is promised to another planning. */
    synchronized boolean promise(Slot slot, Object planning) {
        return promised.putIfAbsent(slot, planning) == null;
    }

    synchronized boolean isPromised(Slot slot) {
        return promised.containsKey(slot);
    }

    /** What was promised to a planning is stored by now, or wanted no more: it is given up once nobody may think it free for having asked earlier. */
    synchronized void end(Object planning) {
        underWay.remove(planning);
        underWay.values().forEach(endedSince -> endedSince.add(planning));
        Set<Object> stillMatter = new HashSet<>();
        underWay.values().forEach(stillMatter::addAll);
        promised.values().removeIf(owner -> !underWay.containsKey(owner) && !stillMatter.contains(owner));
    }
}
