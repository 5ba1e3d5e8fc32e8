package rilvan.core.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BiFunction;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.document.SecretSeal;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import rilvan.core.expression.Values;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Tenants;

/**
 * Reads one parameter by its completed schema: completes defaults, brings the value to its canonical form, and checks its format and what it
 * refers to. Made once for each model; used for every value of every service.
 */
sealed interface ParameterReader {

    /** A value as people write it too, such as a number for a tag, in the type it is kept in; of any type, since not validated. */
    Object lenient(Object value);

    /** A value with every field there and in canonical form. */
    Object completed(Object value);

    /** The secrets in a value, as they were written. */
    Stream<String> secrets(Object value);

    /** The value with its secrets sealed; what cannot be one stays as it was written, for {@link #check} to refuse. */
    Object sealed(Object value, SecretSeal seal);

    /** The things of a kind that a value refers to. */
    Stream<String> named(String kind, Object value);

    /** The value with another name for a thing of a kind that it refers to. */
    Object renamed(String kind, String from, String to, Object value);

    /**
     * Notes what is wrong with a value: its form, or what it refers to. The value is a completed one, or one that the schema has refused; of the
     * latter what is missing or of another type is passed over, since that is said already.
     */
    void check(Object value, Location place);

    /**
     * Where a value stands that is being checked.
     *
     * @param above the step above; null at the top, where the step is a pointer
     * @param siblings the group of fields it is one of
     */
    record Location(Location above, Object step, Map<String, Object> siblings, Around around) {

        /** What a value may refer to, and where problems are noted; the same for all values of a service. */
        record Around(PlanningSource source, Network network, Tenants tenants, String tenant, List<Problem> problems) {}

        static Location top(String pointer, PlanningSource source, String tenant, List<Problem> problems) {
            return new Location(null, pointer, Map.of(), new Around(source, source.network(), source.tenants(), tenant, problems));
        }

        Location below(Object further, Map<String, Object> among) {
            return new Location(this, further, among, around);
        }

        /** Put together only for a problem: nearly every value is as it should be. */
        String pointer() {
            return above == null ? step.toString() : above.pointer() + "/" + step;
        }
    }

    static ParameterReader of(Map<String, Object> schema) {
        Map<String, Object> properties = Document.fields(schema.get("properties"));
        if ("object".equals(schema.get("type"))) {
            List<ParameterReader> fields = properties.values().stream().map(property -> of(Document.fields(property))).toList();
            return new Group(new Values.Layout(List.copyOf(properties.keySet())), fields, Document.fields(schema.get("default")));
        }
        if ("array".equals(schema.get("type"))) {
            return new Items(of(Document.fields(schema.get("items"))), (List<?>) schema.get("default"));
        }
        Optional<Format> format = Optional.ofNullable((String) schema.get("format")).flatMap(Format::named);
        return new One(format, Reference.in(schema), schema.get("default"));
    }

    /** What it is where nothing is said; null where something must be. */
    Object otherwise();

    /** A group of fields by name. */
    record Group(Values.Layout layout, List<ParameterReader> fields, Map<String, Object> otherwise) implements ParameterReader {

        @Override
        public Object lenient(Object value) {
            return value instanceof Map<?, ?> ? each(value, ParameterReader::lenient) : value;
        }

        /** The fields of a value, each as something makes it; those that are not known stay. */
        private Map<String, Object> each(Object value, BiFunction<ParameterReader, Object, Object> make) {
            Map<String, Object> made = new LinkedHashMap<>();
            Document.fields(value).forEach((name, item) -> {
                int place = layout.place(name);
                made.put(name, place < 0 ? item : make.apply(fields.get(place), item));
            });
            return made;
        }

        @Override
        public Object completed(Object value) {
            Map<String, Object> given = Document.fields(value);
            Object[] values = new Object[fields.size()];
            for (int i = 0; i < values.length; i++) {
                String name = layout.inOrder().get(i);
                ParameterReader field = fields.get(i);
                Object own = given.get(name);
                if (own == null && !given.containsKey(name)) {
                    own = field.otherwise();
                }
                values[i] = own == null ? null : field.completed(own);
            }
            return new Values(layout, values);
        }

        @Override
        public Stream<String> secrets(Object value) {
            Map<String, Object> given = Document.fields(value);
            return layout.inOrder().stream().filter(given::containsKey)
                    .flatMap(name -> fields.get(layout.place(name)).secrets(given.get(name)));
        }

        @Override
        public Object sealed(Object value, SecretSeal seal) {
            return value instanceof Map<?, ?> ? each(value, (field, item) -> field.sealed(item, seal)) : value;
        }

        @Override
        public Stream<String> named(String kind, Object value) {
            Map<String, Object> given = Document.fields(value);
            return layout.inOrder().stream().filter(given::containsKey)
                    .flatMap(name -> fields.get(layout.place(name)).named(kind, given.get(name)));
        }

        @Override
        public Object renamed(String kind, String from, String to, Object value) {
            return value instanceof Map<?, ?> ? each(value, (field, item) -> field.renamed(kind, from, to, item)) : value;
        }

        @Override
        public void check(Object value, Location place) {
            if (value instanceof Values among) {
                for (int i = 0; i < fields.size(); i++) {
                    fields.get(i).check(among.at(i), place.below(layout.inOrder().get(i), among));
                }
            } else if (value instanceof Map<?, ?>) {
                Map<String, Object> given = Document.fields(value);
                layout.inOrder().stream().filter(given::containsKey).forEach(name -> fields.get(layout.place(name)).check(given.get(name), place.below(name, given)));
            }
        }
    }

    /** A list of values of one kind. */
    record Items(ParameterReader item, List<?> otherwise) implements ParameterReader {

        @Override
        public Object lenient(Object value) {
            return each(value, item::lenient);
        }

        private static Object each(Object value, UnaryOperator<Object> make) {
            if (!(value instanceof List<?> list)) {
                return value;
            }
            List<Object> made = new ArrayList<>(list.size());
            list.forEach(each -> made.add(make.apply(each)));
            return made;
        }

        @Override
        public Object completed(Object value) {
            return value instanceof List<?> list ? list.stream().map(item::completed).toList() : value;
        }

        @Override
        public Stream<String> secrets(Object value) {
            return value instanceof List<?> list ? list.stream().flatMap(item::secrets) : Stream.empty();
        }

        @Override
        public Object sealed(Object value, SecretSeal seal) {
            return each(value, each -> item.sealed(each, seal));
        }

        @Override
        public Stream<String> named(String kind, Object value) {
            return value instanceof List<?> list ? list.stream().flatMap(each -> item.named(kind, each)) : Stream.empty();
        }

        @Override
        public Object renamed(String kind, String from, String to, Object value) {
            return each(value, each -> item.renamed(kind, from, to, each));
        }

        @Override
        public void check(Object value, Location place) {
            if (value instanceof List<?> list) {
                for (int i = 0; i < list.size(); i++) {
                    item.check(list.get(i), place.below(i, place.siblings()));
                }
            }
        }
    }

    /** One value. */
    record One(Optional<Format> format, Optional<Reference> reference, Object otherwise) implements ParameterReader {

        @Override
        public Object lenient(Object value) {
            return format.isPresent() ? format.get().lenient(value) : value;
        }

        @Override
        public Object completed(Object value) {
            return format.isPresent() ? format.get().canonical(value) : value;
        }

        @Override
        public Stream<String> secrets(Object value) {
            return isSecret() && value instanceof String text && !text.isEmpty() ? Stream.of(text) : Stream.empty();
        }

        private boolean isSecret() {
            return format.filter(Format.SECRET::equals).isPresent();
        }

        @Override
        public Object sealed(Object value, SecretSeal seal) {
            if (!isSecret() || !(value instanceof String text) || text.isEmpty()) {
                return value;
            }
            if (Secret.isSealed(text)) {
                try {
                    seal.open(text);
                    return text;
                } catch (IllegalArgumentException e) {
                    // Not one of ours: it means nothing that is kept.
                    return Secret.MASK;
                }
            }
            return Secret.fault(text).isPresent() ? text : seal.seal(text);
        }

        @Override
        public Stream<String> named(String kind, Object value) {
            return refersTo(kind) && value instanceof String name && !name.isEmpty() ? Stream.of(name) : Stream.empty();
        }

        @Override
        public Object renamed(String kind, String from, String to, Object value) {
            return refersTo(kind) && from.equals(value) ? to : value;
        }

        private boolean refersTo(String kind) {
            return reference.filter(refers -> refers.kind().equals(kind)).isPresent();
        }

        @Override
        public void check(Object value, Location place) {
            if (value != null && !value.equals(otherwise)) {
                reference.filter(refers -> value instanceof String).flatMap(refers -> refers.fault((String) value, place))
                        .or(() -> format.filter(form -> form.takes(value)).flatMap(form -> form.fault(value))).ifPresent(fault -> place.around().problems().add(new Problem(place.pointer(), fault)));
            }
        }
    }

    /**
     * Something of the network or the estate that a value names.
     *
     * @param of the roles it may have, or the models it may be of; none means any
     * @param at the sibling that names the device of a port; empty for anything else
     */
    record Reference(String kind, List<String> of, String at) {

        @SuppressWarnings("unchecked")
        static Optional<Reference> in(Map<String, Object> schema) {
            return Optional.ofNullable((String) schema.get("refers")).map(kind -> new Reference(kind,
                    (List<String>) schema.getOrDefault("of", List.of()), (String) schema.getOrDefault("at", "")));
        }

        /** What is wrong with a name, and what would do. */
        Optional<String> fault(String name, Location place) {
            Network network = place.around().network();
            return switch (kind) {
                case "device" -> device(name, network);
                case "port" -> network.device(String.valueOf(place.siblings().get(at))).flatMap(device -> port(name, device)
                        .or(() -> place.around().tenants().faultAt(new Network.End(device.name(), name), place.around().tenant())));
                case "site" -> {
                    List<String> sites = network.devices().values().stream().map(Device::site).distinct().toList();
                    yield sites.contains(name) ? Optional.empty() : Optional.of("there is no site named '" + name + "'" + suggestion(sites));
                }
                case "tenant" -> place.around().tenants().fault(name);
                default -> service(name, place.around().source().referable(name));
            };
        }

        private Optional<String> service(String name, Optional<PlanningSource.Service> stands) {
            return stands.isEmpty() ? Optional.of("there is no service named '" + name + "'")
                    : of.isEmpty() || of.contains(stands.get().model()) ? Optional.empty()
                    : Optional.of(name + " is a service of the model " + stands.get().model() + "; this must be a " + either());
        }

        private Optional<String> device(String name, Network network) {
            Optional<Device> device = network.device(name);
            if (device.isEmpty()) {
                return Optional.of("there is no device named '" + name + "'" + suggestion(network.devices().values().stream()
                        .filter(other -> fits(other.role())).map(Device::name).toList()));
            }
            if (!device.get().inService()) {
                return Optional.of(name + " is out of service");
            }
            return fits(device.get().role()) ? Optional.empty()
                    : Optional.of(name + " is a " + device.get().role() + "; this must be a " + either());
        }

        private Optional<String> port(String name, Device device) {
            Optional<Device.Port> port = device.port(name);
            if (port.isEmpty()) {
                return Optional.of(device.name() + " has no port named '" + name + "'" + suggestion(device.ports().stream()
                        .filter(other -> fits(other.role())).map(Device.Port::name).toList()));
            }
            return fits(port.get().role()) ? Optional.empty() : Optional.of("the port " + name + " of " + device.name() + " is a "
                    + port.get().role() + " port; this must be an " + either() + " port");
        }

        private boolean fits(String role) {
            return of.isEmpty() || of.contains(role);
        }

        private String either() {
            return String.join(" or ", of);
        }

        private static String suggestion(List<String> fitting) {
            return fitting.isEmpty() ? "" : "; available: " + String.join(", ", fitting.subList(0, Math.min(6, fitting.size())))
                    + (fitting.size() > 6 ? ", …" : "");
        }
    }
}
