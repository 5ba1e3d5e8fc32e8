package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.util.HashMap;
import java.util.Map;
import java.util.stream.Stream;
import rilvan.e2e.Product.Result;

/** Several people at the command line of one product, each with an account and a token of their own. */
final class Colleagues {

    private static final String SENTENCE = "the ferry leaves at seven";

    private final Product product;
    private final Map<String, String> tokens = new HashMap<>();

    Colleagues(Product product) {
        this.product = product;
    }

    /** @param scope options that say for whom the roles are; none for all */
    void add(String name, String roles, String... scope) throws Exception {
        String[] words = Stream.concat(Stream.of("people", "add", name, "--roles", roles, "--password-file", "-"), Stream.of(scope)).toArray(String[]::new);
        Result added = product.rilvan(SENTENCE, words);
        assertThat(added.code()).as(added.output()).isZero();
        String body = product.request("POST", "/api/v1/tokens", JsonWriter.string().object().value("user", name).value("password", SENTENCE).end().done(), "application/json").body();
        tokens.put(name, JsonParser.object().from(body).getString("token"));
    }

    String token(String name) {
        return tokens.get(name);
    }

    Result as(String name, String input, String... words) throws Exception {
        return product.rilvanAs(tokens.get(name), Map.of(), input, words);
    }

    /** What a command says that must succeed. */
    String said(String name, String input, String... words) throws Exception {
        Result result = as(name, input, words);
        assertThat(result.code()).as(result.output()).isZero();
        return result.output();
    }

    /** What a command says that must not succeed. */
    String refused(String name, String input, String... words) throws Exception {
        Result result = as(name, input, words);
        assertThat(result.code()).as(result.output()).isNotZero();
        return result.output();
    }
}
