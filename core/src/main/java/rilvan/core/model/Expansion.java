package rilvan.core.model;

import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import rilvan.core.check.Check;
import rilvan.core.network.Network.End;

/**
 * What one service comes to.
 *
 * @param service the document it was made from
 * @param parameters validated and complete
 * @param clauses what it says on devices
 * @param checks what must be observable when it works
 */
public record Expansion(ServiceDocument service, int modelVersion, Map<String, Object> parameters, List<Clause> clauses,
        List<Check> checks) {

    /** Ports where the customer's router is still to be changed, as far as a check begins or ends there. */
    public Set<End> customersToFollow() {
        return service.customersToFollow().stream().filter(end -> checks.stream().anyMatch(check -> check.ends().contains(end))).collect(Collectors.toSet());
    }
}
