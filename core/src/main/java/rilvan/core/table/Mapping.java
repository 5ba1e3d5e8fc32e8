package rilvan.core.table;

import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.ServiceModel;

/**
 * What the columns of a table say of services. A target is {@code service}, {@code tenant}, or a parameter by its path, such as {@code sites/device}.
 *
 * @param columns targets by heading; a heading without one is passed over
 * @param always values by target, for where no column says one, or its cell is empty
 */
public record Mapping(Map<String, String> columns, Map<String, Object> always) {

    static final String SERVICE = "service";
    static final String TENANT = "tenant";

    public Mapping {
        columns = new LinkedHashMap<>(columns);
        always = new LinkedHashMap<>(always);
    }

    /**
     * Reads a mapping: {@code columns} by heading, and {@code always} by target.
     *
     * @throws ValidationFailure naming what is not known, with the nearest
     */
    public static Mapping read(Document document, List<String> headings, ServiceModel model) {
        DocumentReader reader = new DocumentReader(document);
        Fields root = reader.root("columns", "always");
        Targets targets = Targets.of(model);
        Map<String, String> columns = new LinkedHashMap<>();
        root.open("columns").forEach((heading, target) -> {
            String pointer = "/columns/" + Document.escape(heading);
            if (!headings.contains(heading)) {
                reader.refuse(pointer, "the table has no column of this heading; " + KnownNames.instead(heading, headings));
            }
            targets.fault(String.valueOf(target)).ifPresent(fault -> reader.refuse(pointer, fault));
            columns.put(heading, String.valueOf(target));
        });
        Map<String, Object> always = new LinkedHashMap<>();
        root.open("always").forEach((target, value) -> {
            targets.fault(target).ifPresent(fault -> reader.refuse("/always/" + Document.escape(target), fault));
            always.put(target, value);
        });
        Mapping mapping = new Mapping(columns, always);
        mapping.fault(targets).ifPresent(fault -> reader.refuse("", fault));
        reader.finish();
        return mapping;
    }

    /** As it is written, to be kept. */
    public Map<String, Object> written() {
        Map<String, Object> written = new LinkedHashMap<>();
        written.put("columns", columns);
        written.put("always", always);
        return written;
    }

    /**
     * What the headings seem to say: that of which they are the name or the title, where it is one thing only. A heading that names the list as well ({@code site device}) is understood.
     *
     * @throws ValidationFailure where no column says which service a row is of
     */
    public static Mapping guessed(List<String> headings, Map<String, Object> always, ServiceModel model) {
        Targets targets = Targets.of(model);
        Map<String, Set<String>> named = new TreeMap<>();
        targets.names().forEach((target, names) -> names.forEach(name -> named.computeIfAbsent(plain(name), key -> new LinkedHashSet<>()).add(target)));
        Map<String, String> columns = new LinkedHashMap<>();
        for (String heading : headings) {
            // What is nearer to the service is meant before what is deep inside of it.
            Map<Integer, List<String>> byDepth = named.getOrDefault(plain(heading), Set.of()).stream().collect(Collectors.groupingBy(target -> target.split("/").length, TreeMap::new, Collectors.toList()));
            byDepth.values().stream().findFirst().filter(nearest -> nearest.size() == 1 && !columns.containsValue(nearest.get(0))).ifPresent(nearest -> columns.put(heading, nearest.get(0)));
        }
        Mapping mapping = new Mapping(columns, always);
        mapping.fault(targets).ifPresent(fault -> {
            throw new ValidationFailure("", fault + "; columns are " + String.join(", ", headings));
        });
        return mapping;
    }

    /** Without case, units in brackets, and what is between words. */
    private static String plain(String name) {
        return name.toLowerCase(Locale.ROOT).replaceAll("[(\\[].*?[)\\]]", "").replaceAll("[^\\p{L}\\p{N}]+", "");
    }

    /** Why it is none for a table; absent where it is. */
    private Optional<String> fault(Targets targets) {
        if (!columns.containsValue(SERVICE)) {
            return Optional.of("no column says which service a row is of: give one the target service");
        }
        if (!columns.containsValue(TENANT) && !always.containsKey(TENANT)) {
            return Optional.of("nothing says the tenant: give a column the target tenant, or say it under always");
        }
        List<String> twice = columns.values().stream().filter(target -> Collections.frequency(columns.values(), target) > 1).distinct().toList();
        if (!twice.isEmpty()) {
            return Optional.of("two columns have the target " + String.join(", ", twice));
        }
        Set<String> lists = new LinkedHashSet<>();
        columns.values().forEach(target -> targets.listOf(target).ifPresent(lists::add));
        return lists.size() < 2 ? Optional.empty() : Optional.of("a row is one item of one list, but columns are of " + String.join(" and ", lists));
    }
}
