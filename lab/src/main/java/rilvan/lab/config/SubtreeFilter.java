package rilvan.lab.config;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.w3c.dom.Element;

/** Subtree filtering (RFC 6241 §6). Attribute match expressions are not used by any family and select nothing special. */
public final class SubtreeFilter {

    private SubtreeFilter() {}

    /** The parts of a configuration that the children of the filter element select. */
    public static Item select(Item config, Element filter) {
        List<Item> selected = new ArrayList<>();
        for (Item child : config.children()) {
            merge(Xml.elements(filter), child).ifPresent(selected::add);
        }
        return config.withChildren(selected);
    }

    /** What the filters that fit an item select of it together. */
    private static Optional<Item> merge(List<Element> filters, Item item) {
        List<Element> fitting = filters.stream().filter(filter -> filter.getLocalName().equals(item.name())
                && (Xml.namespace(filter).isEmpty() || Xml.namespace(filter).equals(item.namespace()))).toList();
        List<Item> parts = fitting.stream().flatMap(filter -> one(filter, item).stream()).toList();
        if (parts.isEmpty()) {
            return Optional.empty();
        }
        List<Item> children = item.children().stream()
                .flatMap(child -> union(child, parts.stream().flatMap(part -> part.children().stream())
                        .filter(part -> sameNode(part, child)).toList()).stream())
                .toList();
        return Optional.of(item.withChildren(children));
    }

    private static Optional<Item> union(Item whole, List<Item> parts) {
        if (parts.isEmpty()) {
            return Optional.empty();
        }
        return parts.contains(whole) ? Optional.of(whole) : Optional.of(whole.withChildren(whole.children().stream()
                .flatMap(child -> union(child, parts.stream().flatMap(part -> part.children().stream())
                        .filter(part -> sameNode(part, child)).toList()).stream()).toList()));
    }

    /** Whether a part was cut from this very node: same name and value, and nothing in it that the node lacks. */
    private static boolean sameNode(Item part, Item whole) {
        return part.name().equals(whole.name()) && part.text().equals(whole.text())
                && part.children().stream().allMatch(child -> whole.children().stream().anyMatch(other -> sameNode(child, other)));
    }

    private static Optional<Item> one(Element filter, Item item) {
        List<Element> below = Xml.elements(filter);
        if (below.isEmpty()) {
            String wanted = Xml.text(filter);
            return wanted.isEmpty() || wanted.equals(item.text()) ? Optional.of(item) : Optional.empty();
        }
        List<Element> matches = below.stream().filter(each -> Xml.elements(each).isEmpty() && !Xml.text(each).isEmpty()).toList();
        for (Element match : matches) {
            if (item.all(match.getLocalName()).stream().noneMatch(leaf -> leaf.text().equals(Xml.text(match)))) {
                return Optional.empty();
            }
        }
        if (matches.size() == below.size()) {
            return Optional.of(item);
        }
        List<Item> children = item.children().stream().flatMap(child -> merge(below, child).stream()).toList();
        return children.isEmpty() ? Optional.empty() : Optional.of(item.withChildren(children));
    }
}
