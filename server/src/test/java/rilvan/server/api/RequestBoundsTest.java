package rilvan.server.api;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.util.concurrent.atomic.AtomicReference;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.springframework.mock.web.MockFilterChain;
import org.springframework.mock.web.MockHttpServletRequest;
import org.springframework.mock.web.MockHttpServletResponse;
import rilvan.core.document.Document;

class RequestBoundsTest {

    private final MockHttpServletResponse response = new MockHttpServletResponse();

    /** What a request of a path comes to whose body has a size: what is read of it, or null where nobody gets to read it. */
    private String read(String path, int bytes, boolean lengthSaid) throws Exception {
        MockHttpServletRequest request = new MockHttpServletRequest("POST", path) {
            @Override
            public long getContentLengthLong() {
                return lengthSaid ? super.getContentLengthLong() : -1;
            }
        };
        request.setContent(new byte[bytes]);
        AtomicReference<String> read = new AtomicReference<>();
        new RequestBounds().doFilter(request, response, (bounded, answer) ->
                read.set(Body.read((jakarta.servlet.http.HttpServletRequest) bounded)));
        return read.get();
    }

    @ParameterizedTest
    @CsvSource({"/api/v1/orders, " + Document.LONGEST, "/api/v1/tokens, 16384"})
    void aBodyMayHaveItsBoundAndNoByteMore(String path, int most) throws Exception {
        assertThat(read(path, most, true)).hasSize(most);
        assertThat(read(path, most + 1, true)).isNull();
        assertThat(response.getStatus()).isEqualTo(413);
        assertThat(response.getContentAsString()).contains("more than " + most + " bytes");
    }

    @Test
    void aBodyThatDoesNotSayItsLengthEndsAtTheBound() throws Exception {
        assertThat(read("/api/v1/tokens", 16_384, false)).hasSize(16_384);
        assertThatThrownBy(() -> read("/api/v1/tokens", 16_385, false)).isInstanceOf(RequestBounds.TooLong.class);
    }

    @Test
    void oneByteAtATimeCountsTheSame() throws IOException {
        MockHttpServletRequest request = new MockHttpServletRequest("POST", "/api/v1/tokens") {
            @Override
            public long getContentLengthLong() {
                return -1;
            }
        };
        request.setContent(new byte[16_385]);
        assertThatThrownBy(() -> new RequestBounds().doFilter(request, response, (bounded, answer) -> {
            int bytes = 0;
            while (bounded.getInputStream().read() >= 0) {
                bytes++;
            }
            assertThat(bytes).isLessThan(16_385);
        })).isInstanceOf(RequestBounds.TooLong.class);
    }

    @ParameterizedTest
    @ValueSource(strings = {"search=a%00b", "search=%0A", "search=%7", "search=%zz", "search=%1b[31m"})
    void anAddressWithControlCharactersOrBrokenEscapesIsRefused(String query) throws Exception {
        MockHttpServletRequest request = new MockHttpServletRequest("GET", "/api/v1/services");
        request.setQueryString(query);
        new RequestBounds().doFilter(request, response, (bounded, answer) -> assertThat(bounded).as("gets through").isNull());
        assertThat(response.getStatus()).isEqualTo(400);
        assertThat(response.getContentType()).startsWith("application/problem+json");
    }

    @Test
    void anOrdinaryAddressGetsThrough() throws Exception {
        MockHttpServletRequest request = new MockHttpServletRequest("GET", "/api/v1/services");
        request.setQueryString("search=K%C3%B6nig%20%26%20Co");
        MockFilterChain chain = new MockFilterChain();
        new RequestBounds().doFilter(request, response, chain);
        assertThat(chain.getRequest()).isNotNull();
    }
}
