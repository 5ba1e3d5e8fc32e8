package rilvan.core.document;

import com.ctc.wstx.stax.WstxInputFactory;
import java.io.StringReader;
import javax.xml.stream.XMLInputFactory;
import javax.xml.stream.XMLStreamException;
import org.codehaus.stax2.XMLInputFactory2;
import org.codehaus.stax2.XMLStreamReader2;

/** XML from outside: no document types, no external entities, text in one piece. */
public final class Xml {

    private static final XMLInputFactory2 READERS = readers();

    private Xml() {}

    private static XMLInputFactory2 readers() {
        XMLInputFactory2 factory = new WstxInputFactory();
        factory.setProperty(XMLInputFactory.SUPPORT_DTD, false);
        factory.setProperty(XMLInputFactory.IS_SUPPORTING_EXTERNAL_ENTITIES, false);
        factory.setProperty(XMLInputFactory.IS_COALESCING, true);
        return factory;
    }

    /** A reader that stands before the document. */
    public static XMLStreamReader2 reader(String text) throws XMLStreamException {
        return (XMLStreamReader2) READERS.createXMLStreamReader(new StringReader(text));
    }
}
