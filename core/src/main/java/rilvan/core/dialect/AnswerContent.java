package rilvan.core.dialect;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import javax.xml.stream.XMLStreamException;
import org.codehaus.stax2.XMLStreamReader2;
import rilvan.core.document.Xml;

/** How the values of an answer are found in its text: several by each name, in their order. */
sealed interface AnswerContent {

    Map<String, List<String>> values(String text);

    /** The leaves of XML, by their local names. */
    record Leaves() implements AnswerContent {

        @Override
        public Map<String, List<String>> values(String text) {
            Map<String, List<String>> values = new LinkedHashMap<>();
            try {
                XMLStreamReader2 reader = Xml.reader("<answer>" + text + "</answer>");
                String name = "";
                StringBuilder content = new StringBuilder();
                while (reader.hasNext()) {
                    reader.next();
                    if (reader.isStartElement()) {
                        name = reader.getLocalName();
                        content.setLength(0);
                    } else if (reader.isCharacters()) {
                        content.append(reader.getText());
                    } else if (reader.isEndElement()) {
                        if (!name.isEmpty()) {
                            values.computeIfAbsent(name, each -> new ArrayList<>()).add(content.toString().strip());
                        }
                        name = "";
                    }
                }
            } catch (XMLStreamException e) {
                // An answer that is cut off says what it says up to there.
                return values;
            }
            return values;
        }
    }

    /** What patterns find in lines, each by its first group. */
    record Lines(Map<String, Pattern> patterns) implements AnswerContent {

        @Override
        public Map<String, List<String>> values(String text) {
            Map<String, List<String>> values = new LinkedHashMap<>();
            patterns.forEach((name, pattern) -> values.put(name, pattern.matcher(text).results().map(found -> found.group(1).strip()).toList()));
            return values;
        }
    }
}
