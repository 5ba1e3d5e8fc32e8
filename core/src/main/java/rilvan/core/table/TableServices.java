package rilvan.core.table;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.WrittenValue;
import rilvan.core.table.Table.Row;

/**
 * The services that a table says, as documents, and what is wrong with its cells. Values are of the kinds that the model's schema has; whether they are right is for the model to say.
 *
 * @param services by name, in the order of their first rows
 */
public record TableServices(Map<String, Service> services, List<Fault> faults) {

    /** Where something stands in a table. */
    public record Cell(long line, String heading) {}

    /** What is wrong at a place of a table. */
    public record Fault(long line, String heading, String message) {
        @Override
        public String toString() {
            return "line " + line + (heading.isEmpty() ? "" : ", " + heading) + ": " + message;
        }
    }

    /**
     * A service.
     *
     * @param document as an order has it under {@code services}
     * @param cells where its values come from, by JSON Pointer within the document; an item of a list and the document itself by their first row
     */
    public record Service(Map<String, Object> document, Map<String, Cell> cells, boolean isGood) {

        /** The cell that what is at a pointer comes from: its own, or that of the nearest around it. */
        public Cell cellOf(String pointer) {
            String at = pointer;
            while (!cells.containsKey(at)) {
                at = at.substring(0, at.lastIndexOf('/'));
            }
            return cells.get(at);
        }
    }

    public static TableServices of(Table table, Mapping mapping, ServiceModel model) {
        Reading reading = new Reading(table, mapping, model);
        table.rows().forEach(reading::row);
        return reading.made();
    }

    /** While rows are read. */
    private static final class Reading {

        private final Table table;
        private final Mapping mapping;
        private final ServiceModel model;
        private final Targets targets;
        private final Optional<String> list;
        private final Map<String, Begun> begun = new LinkedHashMap<>();
        private final List<Fault> faults = new ArrayList<>();

        private static final class Begun {
            private final Map<String, Object> document = new LinkedHashMap<>();
            private final Map<String, Cell> cells = new TreeMap<>();
            private final Map<String, Object> said = new LinkedHashMap<>();
            private boolean isGood = true;
        }

        private Reading(Table table, Mapping mapping, ServiceModel model) {
            this.table = table;
            this.mapping = mapping;
            this.model = model;
            this.targets = Targets.of(model);
            this.list = mapping.columns().values().stream().flatMap(target -> targets.listOf(target).stream()).findFirst();
        }

        private void row(Row row) {
            Map<String, Cell> cells = new LinkedHashMap<>();
            Map<String, String> texts = new LinkedHashMap<>();
            for (int i = 0; i < table.headings().size(); i++) {
                String heading = table.headings().get(i);
                String target = mapping.columns().get(heading);
                if (target != null) {
                    cells.put(target, new Cell(row.line(), heading));
                    texts.put(target, row.cells().get(i));
                }
            }
            String name = texts.get(Mapping.SERVICE);
            if (name.isEmpty()) {
                faults.add(new Fault(row.line(), cells.get(Mapping.SERVICE).heading(), "is empty: it says which service the row is of"));
                return;
            }
            Begun service = begun.computeIfAbsent(name, key -> begin(key, cells.get(Mapping.SERVICE)));
            Map<String, Object> values = new LinkedHashMap<>();
            texts.forEach((target, text) -> {
                if (!text.isEmpty() && !target.equals(Mapping.SERVICE)) {
                    WrittenValue.of(text, targets.target(target).orElseThrow().schema()).ifPresentOrElse(value -> values.put(target, value), () -> {
                        faults.add(new Fault(cells.get(target).line(), cells.get(target).heading(), "'" + text + "' is no " + WrittenValue.kind(targets.target(target).orElseThrow().schema())));
                        service.isGood = false;
                    });
                }
            });
            mapping.always().forEach(values::putIfAbsent);
            String item = list.map(at -> item(service, at, row.line())).orElse("");
            values.forEach((target, value) -> {
                Cell cell = cells.getOrDefault(target, new Cell(row.line(), ""));
                Optional<String> of = targets.listOf(target);
                if (of.isEmpty()) {
                    ofService(service, target, value, cell);
                } else if (of.equals(list)) {
                    put(service, item + "/" + target.substring(of.get().length() + 1), value, cell);
                }
            });
        }

        private Begun begin(String name, Cell cell) {
            Begun service = new Begun();
            service.cells.put("", cell);
            put(service, "/name", name, cell);
            // Filled in by the first row that says it; here for its place.
            service.document.put(Mapping.TENANT, "");
            service.document.put("model", model.name());
            service.document.put("version", model.version());
            service.document.put("parameters", new LinkedHashMap<>());
            return service;
        }

        /** A further item of the list; its pointer. */
        @SuppressWarnings("unchecked")
        private static String item(Begun service, String list, long line) {
            List<Object> items = (List<Object>) Document.fields(service.document.get("parameters")).computeIfAbsent(list, key -> new ArrayList<>());
            String pointer = "/parameters/" + list + "/" + items.size();
            items.add(new LinkedHashMap<>());
            service.cells.put(pointer, new Cell(line, ""));
            return pointer;
        }

        /** Each row of a service says the same of the service itself, or nothing. */
        private void ofService(Begun service, String target, Object value, Cell cell) {
            String pointer = target.equals(Mapping.TENANT) ? "/tenant" : "/parameters/" + target;
            Object before = service.said.putIfAbsent(target, value);
            if (before == null) {
                put(service, pointer, value, cell);
            } else if (!before.equals(value) && !cell.heading().isEmpty()) {
                faults.add(new Fault(cell.line(), cell.heading(), "says " + value + ", but line " + service.cells.get(pointer).line() + " says " + before + " of the same service"));
                service.isGood = false;
            }
        }

        @SuppressWarnings("unchecked")
        private static void put(Begun service, String pointer, Object value, Cell cell) {
            service.cells.put(pointer, cell);
            String[] steps = pointer.substring(1).split("/");
            Object at = service.document;
            for (int i = 0; i < steps.length - 1; i++) {
                at = at instanceof List<?> items ? items.get(Integer.parseInt(steps[i])) : ((Map<String, Object>) at).computeIfAbsent(steps[i], key -> new LinkedHashMap<>());
            }
            ((Map<String, Object>) at).put(steps[steps.length - 1], value);
        }

        private TableServices made() {
            Map<String, Service> services = new LinkedHashMap<>();
            begun.forEach((name, each) -> {
                if (!each.said.containsKey(Mapping.TENANT)) {
                    faults.add(new Fault(each.cells.get("").line(), "", "nothing says the tenant of " + name));
                    each.isGood = false;
                }
            });
            begun.forEach((name, each) -> services.put(name, new Service(each.document, each.cells, each.isGood)));
            return new TableServices(services, List.copyOf(faults));
        }
    }

    /** An order for the services of which no cell is wrong. */
    public Map<String, Object> order(String reason) {
        Map<String, Object> order = new LinkedHashMap<>();
        order.put("reason", reason);
        order.put("services", services.values().stream().filter(Service::isGood).map(Service::document).toList());
        return order;
    }

    /** A problem of an order of these, at the cell that it comes from. */
    public Optional<Fault> fault(Problem problem) {
        String[] steps = problem.pointer().split("/", 4);
        if (steps.length < 3 || !steps[1].equals("services") || !steps[2].matches("\\d+")) {
            return Optional.empty();
        }
        Service service = services.values().stream().filter(Service::isGood).skip(Long.parseLong(steps[2])).findFirst().orElseThrow();
        Cell cell = service.cellOf(steps.length == 4 ? "/" + steps[3] : "");
        return Optional.of(new Fault(cell.line(), cell.heading(), problem.message()));
    }
}
