package rilvan.core.draft;

import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Two people changed the same document from a common start.
 *
 * @param ours what one of them changed
 * @param theirs what the other one changed
 * @param inTheWay those of ours that are about values that they changed to something else
 */
public record Meeting(Changes ours, Changes theirs, List<ValueChange> inTheWay) {

    public static Meeting of(Map<String, Object> start, Map<String, Object> ours, Map<String, Object> theirs) {
        Changes mine = Changes.between(start, ours);
        Changes others = Changes.between(start, theirs);
        return new Meeting(mine, others, mine.against(others));
    }

    /** Their document with our changes in it as well; absent where one is in the way of the other. */
    public Optional<Map<String, Object>> merged(Map<String, Object> theirDocument) {
        return inTheWay.isEmpty() ? Optional.of(ours.appliedTo(theirDocument)) : Optional.empty();
    }
}
