package rilvan.server.api;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.springframework.http.HttpHeaders;
import org.springframework.http.ResponseEntity;
import org.springframework.mock.web.MockHttpServletRequest;
import rilvan.core.document.ValidationFailure;

class ListPageTest {

    private static ResponseEntity<List<String>> page(List<String> found, String query) {
        MockHttpServletRequest request = new MockHttpServletRequest("GET", "/api/v1/services");
        request.setQueryString(query);
        return ListPage.of(Optional.of(2)).answer(found, request, "after", name -> name, name -> name);
    }

    @Test
    void theNextPageIsTheSameRequestBeyondTheLastItem() {
        ResponseEntity<List<String>> first = page(List.of("a", "b & {c}", "d"), "search=%C3%A4%26&limit=2");
        assertThat(first.getBody()).containsExactly("a", "b & {c}");
        assertThat(first.getHeaders().getFirst(HttpHeaders.LINK)).isEqualTo("</api/v1/services?search=%C3%A4%26&limit=2&after=b%20%26%20%7Bc%7D>; rel=\"next\"");
        ResponseEntity<List<String>> second = page(List.of("d", "e", "f"), "search=x&limit=2&after=b");
        assertThat(second.getHeaders().getFirst(HttpHeaders.LINK)).isEqualTo("</api/v1/services?search=x&limit=2&after=e>; rel=\"next\"");
    }

    @Test
    void theLastPageHasNoNextOne() {
        assertThat(page(List.of("a", "b"), null).getHeaders().getFirst(HttpHeaders.LINK)).isNull();
        assertThat(page(List.of(), null).getBody()).isEmpty();
    }

    @ParameterizedTest
    @ValueSource(ints = {-1, 0, 501, Integer.MAX_VALUE})
    void aPageHasItsBounds(int limit) {
        assertThatThrownBy(() -> ListPage.of(Optional.of(limit))).isInstanceOfSatisfying(ValidationFailure.class, refused ->
                assertThat(refused.problems().get(0).pointer()).isEqualTo("/limit"));
    }
}
