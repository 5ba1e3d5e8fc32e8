package rilvan.core.plan;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import rilvan.core.check.Check;
import rilvan.core.check.Viewpoint;
import rilvan.core.dialect.Dialect;
import rilvan.core.model.Expansion;
import rilvan.core.network.Network;

/**
 * The checks that devices can be asked for. A family that has no command for an observation is not asked for it: such a check says nothing, whatever the service does.
 *
 * @param expansions each with the checks that can be asked
 * @param unasked by family, the observations that it has no command for, of checks that were left out
 */
record AskedChecks(List<Expansion> expansions, Map<String, Set<String>> unasked) {

    static AskedChecks of(List<Expansion> expansions, Network network, Map<String, Dialect> dialects) {
        Map<String, Set<String>> unasked = new TreeMap<>();
        List<Expansion> asked = new ArrayList<>();
        for (Expansion expansion : expansions) {
            List<Check> checks = expansion.checks().stream().filter(check -> {
                String family = network.device(Viewpoint.observer(check, network)).orElseThrow().family();
                boolean has = !dialects.containsKey(family) || dialects.get(family).observations().containsKey(check.observation());
                if (!has) {
                    unasked.computeIfAbsent(family, each -> new TreeSet<>()).add(check.observation());
                }
                return has;
            }).toList();
            asked.add(checks.size() == expansion.checks().size() ? expansion
                    : new Expansion(expansion.service(), expansion.modelVersion(), expansion.parameters(), expansion.clauses(), checks));
        }
        return new AskedChecks(asked, unasked);
    }

    /** What is not checked, in sentences; empty where everything is. */
    static String inWords(Map<String, Set<String>> unasked) {
        return unasked.entrySet().stream().map(family -> " Devices of the family " + family.getKey() + " cannot be asked for " + String.join(", ", family.getValue())
                + ": such checks are not run.").collect(Collectors.joining());
    }
}
