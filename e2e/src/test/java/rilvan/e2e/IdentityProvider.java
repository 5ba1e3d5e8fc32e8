package rilvan.e2e;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonWriter;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.math.BigInteger;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.MessageDigest;
import java.security.Signature;
import java.security.interfaces.RSAPublicKey;
import java.time.Instant;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;

/** A small issuer of OpenID Connect for tests: whoever comes is whom it was told last. It lies on request. */
final class IdentityProvider implements AutoCloseable {

    private static final String CLIENT = "rilvan";
    static final String SECRET = "between the two of us";
    private static final Base64.Encoder BASE64 = Base64.getUrlEncoder().withoutPadding();

    private final HttpServer http;
    private final KeyPair key = key();
    private final KeyPair other = key();
    /** What was asked for with each code that is not redeemed yet. */
    private final Map<String, Map<String, String>> codes = new ConcurrentHashMap<>();
    private volatile Map<String, Object> claims = Map.of();
    private volatile Lie lie = Lie.NONE;

    /** What is wrong with its answers. */
    enum Lie {
        NONE, SIGNATURE, NONCE, AUDIENCE, ISSUER, EXPIRED
    }

    IdentityProvider() throws IOException {
        http = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
        http.createContext("/.well-known/openid-configuration", exchange -> answer(exchange, Map.of("issuer", issuer(), "authorization_endpoint", issuer() + "/authorize", "token_endpoint", issuer() + "/token",
                "jwks_uri", issuer() + "/keys", "response_types_supported", List.of("code"), "subject_types_supported", List.of("public"), "id_token_signing_alg_values_supported", List.of("RS256"))));
        http.createContext("/keys", exchange -> {
            RSAPublicKey known = (RSAPublicKey) key.getPublic();
            answer(exchange, Map.of("keys", List.of(Map.of("kty", "RSA", "use", "sig", "alg", "RS256", "kid", "one", "n", number(known.getModulus()), "e", number(known.getPublicExponent())))));
        });
        http.createContext("/authorize", this::authorize);
        http.createContext("/token", this::token);
        http.start();
    }

    String issuer() {
        return "http://127.0.0.1:" + http.getAddress().getPort();
    }

    /** Whoever comes from now on. */
    void comes(String subject, String name, String... groups) {
        claims = new TreeMap<>(Map.of("sub", subject, "preferred_username", name, "groups", List.of(groups)));
    }

    void lies(Lie about) {
        lie = about;
    }

    /** Sends whoever comes straight back, with a code. */
    private void authorize(HttpExchange exchange) throws IOException {
        Map<String, String> asked = fields(exchange.getRequestURI().getRawQuery());
        String code = UUID.randomUUID().toString();
        codes.put(code, asked);
        exchange.getResponseHeaders().add("Location", asked.get("redirect_uri") + "?code=" + code + "&state=" + asked.get("state"));
        exchange.sendResponseHeaders(302, -1);
        exchange.close();
    }

    /** Redeems a code once, for whoever knows the client's secret and the verifier of the challenge (RFC 7636 §4.6). */
    private void token(HttpExchange exchange) throws IOException {
        Map<String, String> given = fields(new String(exchange.getRequestBody().readAllBytes(), StandardCharsets.UTF_8));
        Map<String, String> asked = codes.remove(given.getOrDefault("code", ""));
        String client = "Basic " + Base64.getEncoder().encodeToString((CLIENT + ":" + java.net.URLEncoder.encode(SECRET, StandardCharsets.UTF_8)).getBytes(StandardCharsets.UTF_8));
        if (asked == null || !client.equals(exchange.getRequestHeaders().getFirst("Authorization")) || !BASE64.encodeToString(sha256(given.get("code_verifier"))).equals(asked.get("code_challenge"))) {
            exchange.sendResponseHeaders(400, -1);
            exchange.close();
            return;
        }
        Map<String, Object> said = new TreeMap<>(claims);
        long now = Instant.now().getEpochSecond() - (lie == Lie.EXPIRED ? 3_600 : 0);
        said.putAll(Map.of("iss", lie == Lie.ISSUER ? "http://127.0.0.1:9" : issuer(), "aud", lie == Lie.AUDIENCE ? "somebody-else" : CLIENT, "iat", now, "exp", now + 300,
                "nonce", lie == Lie.NONCE ? "another" : asked.get("nonce")));
        answer(exchange, Map.of("access_token", "nothing", "token_type", "Bearer", "expires_in", 300, "id_token", signed(said)));
    }

    private String signed(Map<String, Object> said) {
        String text = BASE64.encodeToString("{\"alg\":\"RS256\",\"kid\":\"one\"}".getBytes(StandardCharsets.UTF_8)) + "." + BASE64.encodeToString(JsonWriter.string(said).getBytes(StandardCharsets.UTF_8));
        try {
            Signature signature = Signature.getInstance("SHA256withRSA");
            signature.initSign((lie == Lie.SIGNATURE ? other : key).getPrivate());
            signature.update(text.getBytes(StandardCharsets.UTF_8));
            return text + "." + BASE64.encodeToString(signature.sign());
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }

    private static KeyPair key() {
        try {
            KeyPairGenerator generator = KeyPairGenerator.getInstance("RSA");
            generator.initialize(2048);
            return generator.generateKeyPair();
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }

    private static byte[] sha256(String text) {
        try {
            return MessageDigest.getInstance("SHA-256").digest(String.valueOf(text).getBytes(StandardCharsets.US_ASCII));
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }

    private static String number(BigInteger number) {
        byte[] bytes = number.toByteArray();
        return BASE64.encodeToString(bytes[0] == 0 ? Arrays.copyOfRange(bytes, 1, bytes.length) : bytes);
    }

    private static Map<String, String> fields(String encoded) {
        Map<String, String> fields = new TreeMap<>();
        for (String field : encoded.split("&")) {
            String[] parts = field.split("=", 2);
            fields.put(parts[0], URLDecoder.decode(parts[1], StandardCharsets.UTF_8));
        }
        return fields;
    }

    private static void answer(HttpExchange exchange, Map<String, Object> body) throws IOException {
        byte[] bytes = JsonWriter.string(new JsonObject(body)).getBytes(StandardCharsets.UTF_8);
        exchange.getResponseHeaders().add("Content-Type", "application/json");
        exchange.sendResponseHeaders(200, bytes.length);
        exchange.getResponseBody().write(bytes);
        exchange.close();
    }

    @Override
    public void close() {
        http.stop(0);
    }
}
