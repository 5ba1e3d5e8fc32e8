package rilvan.server.api;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import rilvan.core.document.Secret;
import rilvan.core.draft.Changes;

/** A value that is another one afterwards; null where there is none. */
public record ValueChangeView(String at, @Nullable Object before, @Nullable Object after) {

    static List<ValueChangeView> of(Changes changes) {
        return changes.values().stream().map(change -> new ValueChangeView(change.at(), masked(change.before()), masked(change.after()))).toList();
    }

    private static Object masked(Optional<Object> value) {
        return value.map(each -> Secret.masked(new LinkedHashMap<>(Map.of("value", each))).get("value")).orElse(null);
    }
}
