package rilvan.server.api.description;

import com.fasterxml.jackson.databind.JavaType;
import io.swagger.v3.core.converter.AnnotatedType;
import io.swagger.v3.core.converter.ModelConverter;
import io.swagger.v3.core.converter.ModelConverterContext;
import io.swagger.v3.core.util.Json31;
import io.swagger.v3.oas.models.media.JsonSchema;
import io.swagger.v3.oas.models.media.Schema;
import java.lang.reflect.RecordComponent;
import java.util.Iterator;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.springframework.stereotype.Component;
import rilvan.server.api.RequiredComponents;

/** Says of each field of a record whether it is always there, and whether it may be null. */
@Component
class RequiredFields implements ModelConverter {

    private final Map<String, Class<?>> named = new ConcurrentHashMap<>();

    @Override
    public Schema<?> resolve(AnnotatedType type, ModelConverterContext context, Iterator<ModelConverter> chain) {
        Schema<?> resolved = chain.hasNext() ? chain.next().resolve(type, context, chain) : null;
        JavaType shown = Json31.mapper().constructType(type.getType());
        if (shown != null && shown.isRecordType()) {
            describe(shown.getRawClass(), context);
        }
        return resolved;
    }

    /** @throws IllegalStateException where two records have one name, since the description would have one of them only */
    private void describe(Class<?> record, ModelConverterContext context) {
        Schema<?> schema = context.getDefinedModels().get(record.getSimpleName());
        if (schema == null || schema.getProperties() == null) {
            return;
        }
        Class<?> other = named.putIfAbsent(record.getSimpleName(), record);
        if (other != null && other != record) {
            throw new IllegalStateException("two records of the interface have one name: " + other.getName() + " and " + record.getName());
        }
        Set<String> required = new LinkedHashSet<>();
        for (RecordComponent component : record.getRecordComponents()) {
            if (RequiredComponents.mayBeNull(component)) {
                schema.getProperties().computeIfPresent(component.getName(), (name, property) -> orNull(property));
            } else if (schema.getProperties().containsKey(component.getName())) {
                required.add(component.getName());
            }
        }
        schema.setRequired(List.copyOf(required));
    }

    private static Schema<?> orNull(Schema<?> property) {
        if (property.get$ref() != null) {
            JsonSchema nothing = new JsonSchema();
            nothing.setTypes(Set.of("null"));
            JsonSchema either = new JsonSchema();
            either.setAnyOf(List.of(new JsonSchema().$ref(property.get$ref()), nothing));
            either.setDescription(property.getDescription());
            return either;
        }
        if (property.getTypes() == null) {
            // Any value, and so null as well.
            return property;
        }
        Set<String> types = new LinkedHashSet<>(property.getTypes());
        types.add("null");
        property.setTypes(types);
        return property;
    }
}
