package rilvan.core.model;

import java.util.List;
import java.util.Map;
import rilvan.core.check.Check;

/**
 * What one service comes to.
 *
 * @param service the document it was made from
 * @param parameters validated and complete
 * @param clauses what it says on devices
 * @param checks what must be observable when it works
 */
public record Expansion(ServiceDocument service, int modelVersion, Map<String, Object> parameters, List<Clause> clauses,
        List<Check> checks) {}
