package rilvan.server.api;

import jakarta.servlet.http.HttpServletRequest;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.http.HttpHeaders;
import org.springframework.http.ResponseEntity;
import org.springframework.web.util.UriUtils;
import rilvan.core.document.ValidationFailure;

/**
 * One page of a list. Where more follow, the answer's {@code Link} header (RFC 8288) has the next page as {@code rel="next"}: the same request,
 * beyond the last item of this page.
 *
 * @param limit how many items it has at most, from 1 to {@value #MOST}
 */
record ListPage(int limit) {

    static final int MOST = 500;

    /** @throws ValidationFailure where the limit that was asked for is none */
    static ListPage of(Optional<Integer> limit) {
        int most = limit.orElse(MOST);
        if (most < 1 || most > MOST) {
            throw new ValidationFailure("/limit", "must be from 1 to " + MOST);
        }
        return new ListPage(most);
    }

    /** As many as are to be found, so that it shows whether more follow. */
    int toFind() {
        return limit + 1;
    }

    <T> List<T> shown(List<T> found) {
        return found.subList(0, Math.min(limit, found.size()));
    }

    /**
     * @param found {@link #toFind} items, or fewer where no more follow
     * @param parameter of the request: beyond which item the page begins
     * @param key of an item, as that parameter has it
     */
    <F, T> ResponseEntity<List<T>> answer(List<F> found, HttpServletRequest request, String parameter, Function<F, Object> key, Function<F, T> view) {
        ResponseEntity.BodyBuilder answer = ResponseEntity.ok();
        if (found.size() > limit) {
            String beyond = parameter + "=" + UriUtils.encode(key.apply(found.get(limit - 1)).toString(), StandardCharsets.UTF_8);
            String query = Stream.concat(Stream.of(Objects.requireNonNullElse(request.getQueryString(), "").split("&"))
                    .filter(each -> !each.isEmpty() && !each.startsWith(parameter + "=")), Stream.of(beyond)).collect(Collectors.joining("&"));
            answer.header(HttpHeaders.LINK, "<" + request.getRequestURI() + "?" + query + ">; rel=\"next\"");
        }
        return answer.body(shown(found).stream().map(view).toList());
    }
}
