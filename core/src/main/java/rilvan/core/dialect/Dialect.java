package rilvan.core.dialect;

import dev.cel.common.types.SimpleType;
import java.io.IOException;
import java.io.StringReader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamException;
import javax.xml.stream.XMLStreamReader;
import rilvan.core.document.Document;
import rilvan.core.document.Refused;
import rilvan.core.document.Shape;
import rilvan.core.document.Shape.Fields;
import rilvan.core.expression.Scope;
import rilvan.core.model.Clause;
import rilvan.core.schema.SchemaTable;
import rilvan.core.tree.Node;

/**
 * How one device family says each clause, and how it is looked at. Read from a folder of data; no family is known to any
 * class.
 *
 * @param confirmSeconds how long a device of the family waits for the confirmation of a commit before it goes back
 */
public record Dialect(String name, String title, XmlCodec codec, int confirmSeconds, Map<String, Template> clauses,
        Map<String, Observation> observations) {

    /**
     * How the family is asked for an observation, and what its answer means.
     *
     * @param request the operation to call, made from the observation's values
     * @param answer names of the elements of the answer that {@code holds} and {@code seen} may use; absent ones are empty
     */
    public record Observation(Template request, List<String> answer, Scope.Expression holds, Scope.Expression seen) {

        /** What an answer says: whether it holds, and what was seen in words. */
        public record Reading(boolean holds, String seen) {}

        /** Reads the content of an answer. */
        public Reading read(String text) {
            Map<String, Object> values = new LinkedHashMap<>();
            answer.forEach(name -> values.put(name, ""));
            values.putAll(leaves(text));
            return new Reading((Boolean) holds.evaluate(values), (String) seen.evaluate(values));
        }
    }

    /**
     * Reads a dialect from its folder.
     *
     * @throws Refused naming every field at fault
     * @throws IOException where a file cannot be read
     */
    public static Dialect read(Path folder) throws IOException {
        Shape shape = new Shape(Document.read(Files.readString(folder.resolve("dialect.yaml"))));
        Fields root = shape.root("dialect", "title", "session", "schema", "confirm-seconds", "clauses", "observations");
        if (!root.text("session").equals("netconf")) {
            shape.refuse("/session", "is not known; known is netconf");
        }
        Map<String, Template> clauses = new LinkedHashMap<>();
        for (Map.Entry<String, Object> clause : root.open("clauses").entrySet()) {
            clauses.put(clause.getKey(), template(folder, String.valueOf(clause.getValue())));
        }
        Map<String, Observation> observations = new LinkedHashMap<>();
        Fields all = root.fields("observations", root.open("observations").keySet().toArray(String[]::new));
        for (String name : root.open("observations").keySet()) {
            Fields each = all.fields(name, "request", "answer", "holds", "seen");
            Scope scope = Scope.of(Map.of());
            for (String leaf : each.texts("answer")) {
                scope = scope.with(leaf, SimpleType.STRING);
            }
            try {
                observations.put(name, new Observation(template(folder, each.text("request")), each.texts("answer"),
                        scope.compile(each.text("holds").substring(1)), scope.compile(each.text("seen").substring(1))));
            } catch (Scope.Faulty e) {
                shape.refuse(each.pointer(), e.getMessage());
            }
        }
        XmlCodec codec = new XmlCodec(SchemaTable.parse(Files.readString(folder.resolve(root.text("schema")))));
        Dialect dialect = new Dialect(root.text("dialect"), root.text("title"), codec, root.whole("confirm-seconds", 5, 3600),
                clauses, observations);
        shape.finish();
        return dialect;
    }

    private static Template template(Path folder, String file) throws IOException {
        return Template.parse(folder.getFileName() + "/" + file, Files.readString(folder.resolve(file)));
    }

    /**
     * What a clause becomes on a device of this family.
     *
     * @throws Refused where the family cannot say it, naming both
     */
    public Node say(Clause clause) {
        Template template = clauses.get(clause.name());
        if (template == null) {
            throw new Refused("", clause.device() + " is of the family " + name + ", which cannot say '" + clause.name() + "'");
        }
        try {
            return codec.decode(template.fill(clause.says()));
        } catch (XmlCodec.MalformedConfiguration | Template.TemplateFault e) {
            throw new Refused("", name + " cannot say this '" + clause.name() + "' on " + clause.device() + ": " + e.getMessage());
        }
    }

    /** The leaf elements of an answer by local name. */
    private static Map<String, String> leaves(String text) {
        Map<String, String> leaves = new LinkedHashMap<>();
        XMLInputFactory factory = XMLInputFactory.newDefaultFactory();
        factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
        factory.setProperty(XMLInputFactory.IS_COALESCING, true);
        try {
            XMLStreamReader reader = factory.createXMLStreamReader(new StringReader("<answer>" + text + "</answer>"));
            String name = "";
            while (reader.hasNext()) {
                reader.next();
                if (reader.isStartElement()) {
                    name = reader.getLocalName();
                } else if (reader.isCharacters() && !reader.isWhiteSpace()) {
                    leaves.put(name, reader.getText());
                }
            }
            return leaves;
        } catch (XMLStreamException e) {
            return Map.of("reason", "an answer that is no XML");
        }
    }
}
