package rilvan.kit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.ServiceModel;

/** The page of documentation of a service model, made from the model and its examples. */
final class ModelPage {

    private final Catalog catalog;
    private final ServiceModel model;
    private final StringBuilder page = new StringBuilder();

    private ModelPage(Catalog catalog, ServiceModel model) {
        this.catalog = catalog;
        this.model = model;
    }

    static String of(Catalog catalog, Path folder) throws IOException {
        String name = folder.toAbsolutePath().normalize().getFileName().toString();
        ServiceModel model = catalog.models().get(name);
        if (model == null) {
            throw new ValidationFailure("", "there is no service model '" + name + "'; available: " + String.join(", ", catalog.models().keySet()));
        }
        return new ModelPage(catalog, model).write(folder);
    }

    private String write(Path folder) throws IOException {
        line("# " + model.title());
        line("");
        line("*Made from [model.yaml](model.yaml) by `rilvan kit page`; edit that.*");
        line("");
        line(model.description());
        line("");
        line("## Parameters");
        table(model.parameters().schema(), "");
        if (!model.settings().names().isEmpty()) {
            line("## Settings it reads");
            line("");
            line("On each device the nearest value wins: device, role, site, the whole network; then the default here.");
            table(model.settings().schema(), "");
        }
        line("## What must hold");
        line("");
        model.rulesInWords().forEach(rule -> line("- `" + rule.at() + "`: " + rule.words()));
        line("");
        if (model.isComposite()) {
            line("## What it contains");
            line("");
            line("Services of other models, which are made, changed and removed with it. Each has the service's name, a hyphen and its own.");
            line("");
            model.components().forEach((name, inner) -> line("- " + name + ": a service of the model [" + inner.name() + "](../" + inner.name() + "/README.md), version " + inner.version()));
            line("");
        }
        if (!model.pools().isEmpty() || !model.isComposite()) {
            line("## What it takes from pools");
            line("");
            model.pools().forEach((take, pool) -> line("- `" + take + "` of the pool `" + pool + "`"));
            line("");
        }
        if (!model.clauseNames().isEmpty()) {
            line("## What it puts on devices");
            line("");
            clauses();
        }
        line("## How it is checked");
        line("");
        checks();
        examples(folder);
        return page.toString();
    }

    private void line(String text) {
        page.append(text).append('\n');
    }

    private void table(Map<String, Object> schema, String prefix) {
        line("");
        line("| parameter | value | meaning |");
        line("|---|---|---|");
        rows(schema, prefix);
        line("");
    }

    @SuppressWarnings("unchecked")
    private void rows(Map<String, Object> schema, String prefix) {
        List<?> required = (List<?>) schema.getOrDefault("required", List.of());
        ((Map<String, Map<String, Object>>) schema.getOrDefault("properties", Map.of())).forEach((name, property) -> {
            Map<String, Object> item = "array".equals(property.get("type")) ? (Map<String, Object>) property.get("items") : property;
            String there = prefix + name + (item == property ? "" : "[]");
            line("| `" + there + "` | " + value(property, item) + (required.contains(name) ? ", **required**" : defaulted(property)) + " | "
                    + meaning(property) + " |");
            if (item.get("properties") != null) {
                rows(item, there + ".");
            }
        });
    }

    private static String value(Map<String, Object> property, Map<String, Object> item) {
        String base = item.containsKey("refers") ? "a " + item.get("refers") + (item.get("of") instanceof List<?> of ? " (" + join(of) + ")" : "")
                : item.containsKey("enum") ? join(((List<?>) item.get("enum")).stream().filter(each -> !each.equals("")).toList())
                : item.containsKey("format") ? String.valueOf(item.get("format"))
                : item.get("type").equals("integer") ? "whole number" + bounds(item) : item.get("type").equals("object") ? "fields"
                : item.get("type").equals("boolean") ? "true or false" : "text";
        return item == property ? base : "list of " + (base.equals("fields") ? "fields" : base);
    }

    private static String bounds(Map<String, Object> item) {
        return (item.containsKey("minimum") ? " from " + item.get("minimum") : "") + (item.containsKey("maximum") ? " to " + item.get("maximum") : "");
    }

    private static String join(List<?> items) {
        return String.join(", ", items.stream().map(Object::toString).toList());
    }

    private static String defaulted(Map<String, Object> property) {
        Object value = property.get("default");
        return value == null || value instanceof Map || value instanceof List || value.equals("") ? "" : ", else " + value;
    }

    private static String meaning(Map<String, Object> property) {
        String title = (String) property.getOrDefault("title", "");
        String description = ((String) property.getOrDefault("description", "")).replace("|", "\\|");
        String examples = property.get("examples") instanceof List<?> list && !list.isEmpty() ? " For example `" + list.get(0) + "`." : "";
        return title + (title.isEmpty() || description.isEmpty() ? "" : ": ") + description + (examples.isEmpty() ? "" : "." + examples);
    }

    private void clauses() {
        line("| clause | meaning | families |");
        line("|---|---|---|");
        for (String clause : model.clauseNames()) {
            List<String> families = catalog.dialects().values().stream()
                    .filter(dialect -> dialect.clauses().containsKey(clause) || clause.equals(Dialect.NATIVE)).map(Dialect::name).toList();
            line("| `" + clause + "` | " + catalog.vocabulary().clauses().get(clause).get("description") + " | " + join(families) + " |");
        }
        line("");
    }

    private void checks() {
        if (model.observations().isEmpty()) {
            line(model.isComposite() ? "By the checks of what it contains." : "It has no checks: an order only verifies that the devices hold what was ordered, and says so.");
        } else {
            line("| check | what is looked at | it must | fails where these are wrong |");
            line("|---|---|---|---|");
            model.observations().forEach((observation, wanted) -> line("| `" + observation + "` | "
                    + catalog.vocabulary().observations().get(observation).get("description") + " | "
                    + (wanted.size() == 2 ? "be so in some places, and not in others" : wanted.contains(true) ? "be so" : "not be so") + " | "
                    + catalog.vocabulary().exercises().get(observation).stream().map(clause -> "`" + clause + "`").collect(Collectors.joining(", ")) + " |"));
            Set<String> unchecked = model.unchecked(catalog.vocabulary());
            if (!unchecked.isEmpty()) {
                line("");
                line("No check fails where one of these is wrong on a device: " + unchecked.stream().map(field -> "`" + field + "`").collect(Collectors.joining(", "))
                        + ". Readings find them as drift.");
            }
        }
        line("");
    }

    private void examples(Path folder) throws IOException {
        line("## Examples");
        List<Path> files = new ArrayList<>();
        try (Stream<Path> all = Files.list(folder.resolve("examples"))) {
            all.sorted().forEach(files::add);
        }
        boolean shown = false;
        for (Path file : files) {
            line("");
            line("[" + file.getFileName() + "](examples/" + file.getFileName() + ")");
            Path expected = folder.resolve("expected").resolve(file.getFileName().toString().replace(".yaml", ".txt"));
            if (!shown && Files.exists(expected)) {
                line("");
                line("```yaml");
                page.append(Files.readString(file));
                line("```");
                line("");
                line("comes to");
                line("");
                line("```");
                page.append(Files.readString(expected).strip()).append('\n');
                line("```");
                shown = true;
            } else if (Files.exists(expected)) {
                line("comes to [these lines](expected/" + expected.getFileName() + ").");
            }
        }
    }
}
