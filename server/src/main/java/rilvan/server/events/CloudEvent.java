package rilvan.server.events;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.time.format.DateTimeFormatter;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.server.store.Events.Happened;
import rilvan.server.store.Json;
import tools.jackson.core.type.TypeReference;

/**
 * Something that happened, in the form of CloudEvents 1.0 (JSON event format).
 *
 * @param id its number; each is one more than that of the event before, and none is given twice
 * @param source the installation, as a URN (RFC 9562)
 * @param type what happened, such as {@code rilvan.order.ended}
 * @param subject what it happened to, such as {@code service/tidewater-clinics}
 * @param time when, as RFC 3339 has it
 * @param data what else there is to say: the order, service, device and tenant that it is about, and what the type has beside
 */
@JsonInclude(JsonInclude.Include.ALWAYS)
public record CloudEvent(String specversion, String id, String source, String type, String subject, String time, String datacontenttype, Map<String, Object> data) {

    private static final String VERSION = "1.0";
    private static final String PREFIX = "rilvan.";
    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};

    static CloudEvent of(Happened happened, String installation, Json json) {
        Map<String, Object> data = new LinkedHashMap<>();
        put(data, "order", happened.orderId());
        put(data, "service", happened.service());
        put(data, "device", happened.device());
        put(data, "tenant", happened.tenant());
        json.read(happened.data(), FIELDS).forEach((name, value) -> put(data, name, value));
        String subject = Stream.of("service", "order", "device", "tenant", "name").filter(data::containsKey).findFirst().map(about -> about + "/" + data.get(about)).orElse("");
        return new CloudEvent(VERSION, Long.toString(happened.seq()), "urn:uuid:" + installation, PREFIX + happened.kind(), subject,
                DateTimeFormatter.ISO_INSTANT.format(happened.at().toInstant()), "application/json", data);
    }

    private static void put(Map<String, Object> data, String name, Object value) {
        if (value != null && !value.equals("")) {
            data.put(name, value);
        }
    }

    /** As server-sent events have it (WHATWG HTML §9.2): the type without its prefix, so that whoever listens can choose by it. */
    String asText(Json json) {
        return "id:" + id + "\nevent:" + type.substring(PREFIX.length()) + "\ndata:" + json.write(this).lines().collect(Collectors.joining("\ndata:")) + "\n\n";
    }
}
