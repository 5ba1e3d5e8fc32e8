package rilvan.lab.config;

import java.io.IOException;
import java.io.StringReader;
import java.util.ArrayList;
import java.util.List;
import javax.xml.parsers.DocumentBuilder;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import org.w3c.dom.Element;
import org.w3c.dom.Node;
import org.xml.sax.InputSource;
import org.xml.sax.SAXException;

/** XML text as elements, without document types and external entities. */
public final class Xml {

    // Made once a thread: making one takes longer than most messages take to read.
    private static final ThreadLocal<DocumentBuilder> PARSERS = ThreadLocal.withInitial(Xml::parser);

    private Xml() {}

    private static DocumentBuilder parser() {
        try {
            DocumentBuilderFactory factory = DocumentBuilderFactory.newDefaultInstance();
            factory.setNamespaceAware(true);
            factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
            DocumentBuilder parser = factory.newDocumentBuilder();
            parser.setErrorHandler(null);
            return parser;
        } catch (ParserConfigurationException e) {
            throw new IllegalStateException("the XML parser cannot be made safe", e);
        }
    }

    /**
     * @throws RpcError malformed-message where the text is no well-formed XML
     */
    public static Element parse(String text) {
        try {
            return PARSERS.get().parse(new InputSource(new StringReader(text))).getDocumentElement();
        } catch (SAXException e) {
            throw new RpcError("rpc", "malformed-message", "", "no well-formed XML: " + e.getMessage());
        } catch (IOException e) {
            throw new IllegalStateException(e);
        }
    }

    public static List<Element> elements(Element parent) {
        List<Element> elements = new ArrayList<>();
        for (Node node = parent.getFirstChild(); node != null; node = node.getNextSibling()) {
            if (node instanceof Element element) {
                elements.add(element);
            }
        }
        return elements;
    }

    public static String text(Element element) {
        return element.getTextContent().strip();
    }

    static String namespace(Element element) {
        return element.getNamespaceURI() == null ? "" : element.getNamespaceURI();
    }
}
