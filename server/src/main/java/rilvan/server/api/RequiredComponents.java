package rilvan.server.api;

import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.RecordComponent;
import java.lang.reflect.Type;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.core.MethodParameter;
import org.springframework.http.HttpInputMessage;
import org.springframework.http.converter.HttpMessageConverter;
import org.springframework.web.bind.annotation.RestControllerAdvice;
import org.springframework.web.servlet.mvc.method.annotation.RequestBodyAdviceAdapter;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;

/** Refuses bodies in which something is missing that no record is without: a component that is not {@code @Nullable}, an element of a list, a value of a map. */
@RestControllerAdvice
public class RequiredComponents extends RequestBodyAdviceAdapter {

    /** Whether a record's component may be null, in the interface as in the code. */
    public static boolean mayBeNull(RecordComponent component) {
        return component.getAnnotatedType().isAnnotationPresent(Nullable.class) || component.getType().equals(Optional.class);
    }

    @Override
    public boolean supports(MethodParameter parameter, Type type, Class<? extends HttpMessageConverter<?>> converter) {
        return true;
    }

    /** @throws ValidationFailure naming each that is missing */
    @Override
    public Object afterBodyRead(Object body, HttpInputMessage message, MethodParameter parameter, Type type, Class<? extends HttpMessageConverter<?>> converter) {
        List<Problem> missing = new ArrayList<>();
        look(body, "", missing);
        if (!missing.isEmpty()) {
            throw new ValidationFailure(missing);
        }
        return body;
    }

    private static void look(@Nullable Object value, String at, List<Problem> missing) {
        if (value == null) {
            missing.add(new Problem(at, "is missing"));
        } else if (value instanceof Record) {
            for (RecordComponent component : value.getClass().getRecordComponents()) {
                Object of = of(value, component);
                if (of != null || !mayBeNull(component)) {
                    look(of, at + "/" + component.getName(), missing);
                }
            }
        } else if (value instanceof Map<?, ?> map) {
            map.forEach((key, each) -> look(each, at + "/" + Document.escape(String.valueOf(key)), missing));
        } else if (value instanceof Collection<?> collection) {
            int i = 0;
            for (Iterator<?> each = collection.iterator(); each.hasNext(); i++) {
                look(each.next(), at + "/" + i, missing);
            }
        }
    }

    private static @Nullable Object of(Object value, RecordComponent component) {
        try {
            return component.getAccessor().invoke(value);
        } catch (IllegalAccessException | InvocationTargetException e) {
            throw new IllegalStateException(value.getClass().getName(), e);
        }
    }
}
