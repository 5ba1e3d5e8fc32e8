package rilvan.kit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.Clause;
import rilvan.core.model.Expansion;
import rilvan.core.model.ServiceExpansion.RuleResult;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.ServiceModel.RuleInWords;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.ModelTrial;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;

/** Orders worked out against a network in files. */
public final class Trial {

    private final Catalog catalog;
    private final InMemoryPlanningSource source;

    private Trial(Catalog catalog, InMemoryPlanningSource source) {
        this.catalog = catalog;
        this.source = source;
    }

    /**
     * @param network the network document
     * @param devices folder with what each device holds, {@code NAME.xml} or {@code NAME.txt}; a device without holds nothing
     */
    public static Trial of(Catalog catalog, Path network, Path devices) throws IOException {
        Network read = NetworkDocument.read(Document.read(Files.readString(network)));
        Map<String, String> configurations = new TreeMap<>();
        for (String device : read.devices().keySet()) {
            Path xml = devices.resolve(device + ".xml");
            Path text = devices.resolve(device + ".txt");
            configurations.put(device, Files.exists(xml) ? Files.readString(xml) : Files.exists(text) ? Files.readString(text) : "");
        }
        return new Trial(catalog, new InMemoryPlanningSource(catalog, read, configurations));
    }

    /**
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public Plan plan(String order) {
        return source.plan(OrderDocument.read(Document.read(order)));
    }

    /**
     * What each rule comes to for an order, for people: how often it was applied, and what it refuses.
     *
     * @param only the number of the one rule to show; absent for all
     * @throws ValidationFailure naming every field at fault before any rule is looked at
     */
    public String rules(String order, Optional<Integer> only) {
        StringBuilder text = new StringBuilder();
        source.rules(OrderDocument.read(Document.read(order))).forEach((service, results) -> {
            ServiceModel model = service.version().flatMap(version -> catalog.model(service.model(), version)).orElseThrow();
            text.append(service.name()).append(" (").append(model.name()).append(")\n");
            for (RuleInWords rule : model.rulesInWords()) {
                if (only.filter(wanted -> !rule.id().split(" ")[0].equals("require/" + wanted)).isPresent()) {
                    continue;
                }
                List<RuleResult> applied = results.stream().filter(result -> result.rule().equals(rule.id())).toList();
                List<String> refused = applied.stream().flatMap(result -> result.problem().stream()).map(Object::toString).distinct().toList();
                text.append(String.format("  %-26s %-8s %s%n", rule.id(), refused.isEmpty() ? applied.isEmpty() ? "not used" : "holds" : "refuses",
                        refused.isEmpty() ? (applied.isEmpty() ? "" : applied.size() == 1 ? "once: " : applied.size() + " times: ") + rule.words() : refused.get(0)));
                refused.stream().skip(1).forEach(problem -> text.append(" ".repeat(38)).append(problem).append('\n'));
            }
        });
        return text.toString().stripTrailing();
    }

    /** Tries other parameters than an order's, by chance; what went wrong is as {@link ModelTrial#faults} has it. */
    public Map<String, String> vary(String order, ServiceModel model, int count, Random random) {
        ModelTrial trial = new ModelTrial(source, random);
        trial.vary(Document.read(order).value(), model, count);
        return trial.faults();
    }

    /** Works an order out and takes it as done. */
    public Plan done(String order) {
        Plan plan = plan(order);
        source.take(plan);
        return plan;
    }

    /** What every device holds now, in its own text. */
    public Map<String, String> configurations() {
        return source.configurations();
    }

    /** What a plan comes to, for people. */
    public String told(Plan plan) {
        StringBuilder text = new StringBuilder();
        for (Plan.Outcome outcome : plan.outcomes()) {
            text.append(outcome.kind().name().toLowerCase(java.util.Locale.ROOT)).append(' ').append(outcome.service()).append('\n');
            outcome.expansion().ifPresent(expansion -> clauses(expansion, text));
        }
        if (!plan.allocations().isEmpty()) {
            text.append("\nnumbers\n");
            plan.allocations().forEach(allocation -> text.append("  ").append(allocation.service()).append(' ').append(allocation.key())
                    .append(" = ").append(source.network().pools().get(allocation.pool()).write(allocation.number())).append(" of ").append(allocation.pool())
                    .append(allocation.within().isEmpty() ? "" : " on " + allocation.within()).append('\n'));
        }
        text.append('\n').append(lines(plan));
        plan.checks().forEach(check -> text.append("\ncheck ").append(check.wanted() ? "expected " : "forbidden ").append(check.observation())
                .append("\n  from ").append(place(check.from())).append("\n  to   ").append(place(check.to())));
        return text.append(plan.checks().isEmpty() ? "" : "\n\n").append(plan.guarantee()).toString();
    }

    private static void clauses(Expansion expansion, StringBuilder text) {
        for (Clause clause : expansion.clauses()) {
            text.append("  ").append(clause.device()).append("  ").append(clause.name()).append("  (").append(clause.origin()).append(")\n    ")
                    .append(said(Secret.masked(clause.says()))).append('\n');
        }
    }

    /** An end of a check: the device and port first. */
    private static String place(Map<String, Object> end) {
        Map<String, Object> ordered = new LinkedHashMap<>();
        List.of("device", "port").forEach(name -> Optional.ofNullable(end.get(name)).ifPresent(value -> ordered.put(name, value)));
        end.forEach(ordered::putIfAbsent);
        return said(ordered);
    }

    /** Values by name, without those that say nothing. */
    private static String said(Map<?, ?> values) {
        return values.entrySet().stream().filter(field -> !Set.of("", 0L, false, List.of()).contains(field.getValue()))
                .map(field -> field.getKey() + " " + (field.getValue() instanceof Map<?, ?> below ? "(" + said(below) + ")"
                        : field.getValue() instanceof List<?> items ? String.join(", ", items.stream().map(String::valueOf).toList())
                        : String.valueOf(field.getValue()))).collect(Collectors.joining(", "));
    }

    /** What changes on each device, in its own language. */
    public static String lines(Plan plan) {
        StringBuilder text = new StringBuilder();
        plan.devices().forEach((device, part) -> {
            List<NativeLine> lines = part.lines();
            if (!lines.isEmpty()) {
                text.append(device).append('\n');
                lines.forEach(line -> text.append(sign(line)).append(line.masked().text()).append('\n'));
                text.append('\n');
            }
        });
        return text.toString();
    }

    private static String sign(NativeLine line) {
        return switch (line.sign()) {
            case AROUND -> "  ";
            case COMES -> "+ ";
            case GOES -> "- ";
        };
    }
}
