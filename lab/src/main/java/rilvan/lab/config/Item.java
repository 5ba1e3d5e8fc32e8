package rilvan.lab.config;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * An element of a device's configuration.
 *
 * @param text what a leaf says; empty for others
 * @param children in schema order, list entries in the order they came
 */
public record Item(String namespace, String name, String text, List<Item> children) {

    /** A configuration with nothing in it. */
    public static final Item EMPTY = new Item("", "config", "", List.of());

    public Item {
        children = List.copyOf(children);
    }

    public Optional<Item> child(String childName) {
        return children.stream().filter(child -> child.name.equals(childName)).findFirst();
    }

    /** What a leaf below says; empty where there is none. */
    public String leaf(String childName) {
        return child(childName).map(Item::text).orElse("");
    }

    public List<Item> all(String childName) {
        return children.stream().filter(child -> child.name.equals(childName)).toList();
    }

    /** The item below along names; an item with nothing in it where there is none. */
    public Item below(String... names) {
        Item item = this;
        for (String next : names) {
            item = item.child(next).orElse(EMPTY);
        }
        return item;
    }

    Item withChildren(List<Item> others) {
        return new Item(namespace, name, text, others);
    }

    /** The children as XML text, two blanks of indentation a level. */
    public String xml() {
        StringBuilder out = new StringBuilder();
        children.forEach(child -> child.write(out, "", ""));
        return out.toString();
    }

    private void write(StringBuilder out, String indent, String above) {
        out.append(indent).append('<').append(name);
        if (!namespace.equals(above)) {
            out.append(" xmlns=\"").append(namespace).append('"');
        }
        if (!children.isEmpty()) {
            out.append(">\n");
            children.forEach(child -> child.write(out, indent + "  ", namespace));
            out.append(indent).append("</").append(name).append(">\n");
        } else if (text.isEmpty()) {
            out.append("/>\n");
        } else {
            out.append('>').append(text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;"))
                    .append("</").append(name).append(">\n");
        }
    }

    List<Item> mutableChildren() {
        return new ArrayList<>(children);
    }
}
