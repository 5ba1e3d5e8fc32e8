package rilvan.core.document;

import com.ctc.wstx.stax.WstxInputFactory;
import com.ctc.wstx.stax.WstxOutputFactory;
import java.io.StringReader;
import java.io.StringWriter;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLOutputFactory;
import javax.xml.stream.XMLStreamException;
import org.codehaus.stax2.XMLInputFactory2;
import org.codehaus.stax2.XMLOutputFactory2;
import org.codehaus.stax2.XMLStreamReader2;
import org.codehaus.stax2.XMLStreamWriter2;

/** XML from outside: no document types, no external entities, text in one piece. */
public final class Xml {

    private static final XMLInputFactory2 READERS = readers();
    private static final XMLOutputFactory2 WRITERS = writers();

    private Xml() {}

    private static XMLOutputFactory2 writers() {
        XMLOutputFactory2 factory = new WstxOutputFactory();
        factory.setProperty(XMLOutputFactory.IS_REPAIRING_NAMESPACES, true);
        return factory;
    }

    private static XMLInputFactory2 readers() {
        XMLInputFactory2 factory = new WstxInputFactory();
        factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
        factory.setProperty(XMLInputFactory.IS_SUPPORTING_EXTERNAL_ENTITIES, false);
        factory.setProperty(XMLInputFactory.IS_COALESCING, true);
        return factory;
    }

    /** The element that a reader stands at, with all that is in it, as a text of its own; the reader stands at its end afterwards. */
    public static String copy(XMLStreamReader2 reader) throws XMLStreamException {
        StringWriter text = new StringWriter();
        XMLStreamWriter2 writer = (XMLStreamWriter2) WRITERS.createXMLStreamWriter(text);
        int depth = 0;
        while (true) {
            depth += reader.isStartElement() ? 1 : reader.isEndElement() ? -1 : 0;
            writer.copyEventFromReader(reader, false);
            if (depth == 0) {
                writer.close();
                return text.toString();
            }
            reader.next();
        }
    }

    /** Whether a text is one element. */
    public static boolean isWellFormed(String text) {
        try {
            XMLStreamReader2 reader = reader(text);
            while (reader.hasNext()) {
                reader.next();
            }
            return true;
        } catch (XMLStreamException e) {
            return false;
        }
    }

    /** A reader that stands before the document. */
    public static XMLStreamReader2 reader(String text) throws XMLStreamException {
        return (XMLStreamReader2) READERS.createXMLStreamReader(new StringReader(text));
    }
}
