package rilvan.server.events;

import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.util.Base64;
import java.util.Map;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;

/**
 * The signature of a request by a shared secret (RFC 9421 §3.3.3, HMAC with SHA-256), over its method, its address, the type of its body and a digest of that (RFC 9530).
 * Whoever has the secret can tell that the request is ours, that nobody has changed it, and when it was sent.
 */
final class MessageSignature {

    private static final String LABEL = "rilvan";
    private static final String COVERED = "(\"@method\" \"@target-uri\" \"content-type\" \"content-digest\")";

    private MessageSignature() {}

    /**
     * The headers of a POST.
     *
     * @param keyId whose secret it is
     * @param created seconds since 1970-01-01T00:00:00Z
     */
    static Map<String, String> headers(URI target, String contentType, String body, String keyId, String secret, long created) {
        try {
            String digest = "sha-256=:" + base64(MessageDigest.getInstance("SHA-256").digest(body.getBytes(StandardCharsets.UTF_8))) + ":";
            String parameters = COVERED + ";created=" + created + ";keyid=\"" + keyId + "\";alg=\"hmac-sha256\"";
            String base = "\"@method\": POST\n\"@target-uri\": " + target + "\n\"content-type\": " + contentType + "\n\"content-digest\": " + digest + "\n\"@signature-params\": " + parameters;
            Mac mac = Mac.getInstance("HmacSHA256");
            mac.init(new SecretKeySpec(secret.getBytes(StandardCharsets.UTF_8), "HmacSHA256"));
            return Map.of("Content-Type", contentType, "Content-Digest", digest, "Signature-Input", LABEL + "=" + parameters,
                    "Signature", LABEL + "=:" + base64(mac.doFinal(base.getBytes(StandardCharsets.UTF_8))) + ":");
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }

    private static String base64(byte[] bytes) {
        return Base64.getEncoder().encodeToString(bytes);
    }
}
