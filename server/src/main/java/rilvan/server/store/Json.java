package rilvan.server.store;

import org.springframework.stereotype.Component;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.DeserializationFeature;
import tools.jackson.databind.json.JsonMapper;

/** Values as JSON text, for columns. Whole numbers come back as {@link Long}, as documents have them. */
@Component
public final class Json {

    /** For mappers: many rows go to the store in one statement, as JSON. */
    public static final Json ROWS = new Json();

    private final JsonMapper mapper = JsonMapper.builder().enable(DeserializationFeature.USE_LONG_FOR_INTS)
            // What an earlier version did not store yet is false or zero.
            .disable(DeserializationFeature.FAIL_ON_NULL_FOR_PRIMITIVES).build();

    public String write(Object value) {
        return mapper.writeValueAsString(value);
    }

    public <T> T read(String text, TypeReference<T> type) {
        return mapper.readValue(text, type);
    }
}
