package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import java.io.BufferedReader;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.MessageDigest;
import java.security.PublicKey;
import java.security.Signature;
import java.security.spec.X509EncodedKeySpec;
import java.util.Base64;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.Map;

/** Verifies an exported log of acts by nothing but the file, the signed heads and the public key. */
final class LogVerification {

    private static final String ACT = ",\"act\":";

    private final JsonArray problems = new JsonArray();
    private final Map<Long, String> digests = new HashMap<>();
    private long first = 1;
    private long last;
    private int heads;

    private LogVerification() {}

    /** What the verification came to, in the same form as the service tells it. */
    static JsonObject of(Path export, Path heads, Path key) throws IOException {
        if ((heads == null) != (key == null)) {
            throw new Failure(Failure.REFUSED, "signed heads are verified with a key: give both --heads and --key");
        }
        LogVerification verification = new LogVerification();
        verification.chain(export);
        if (heads != null) {
            verification.heads(heads, key(key));
        }
        return JsonObject.builder().value("first", verification.first).value("last", verification.last).value("heads", verification.heads).value("open", 0).value("openSeconds", 0)
                .value("problems", verification.problems).done();
    }

    private void chain(Path export) throws IOException {
        String digest = null;
        try (BufferedReader lines = open(export)) {
            for (String line = lines.readLine(); line != null; line = lines.readLine()) {
                JsonObject act = object(export, line);
                long seq = act.getLong("seq");
                if (digest == null) {
                    first = seq;
                } else if (seq != last + 1) {
                    problem(last + 1, "the acts from this one to " + (seq - 1) + " are missing");
                } else if (!digest(digest + "\n" + line.substring(line.indexOf(ACT) + ACT.length(), line.length() - 1)).equals(act.getString("digest"))) {
                    problem(seq, "this act, or one before it, is not the one that was sealed");
                }
                digest = act.getString("digest");
                digests.put(seq, digest);
                last = seq;
            }
        }
    }

    private void heads(Path file, PublicKey key) throws IOException {
        try (BufferedReader lines = open(file)) {
            for (String line = lines.readLine(); line != null; line = lines.readLine()) {
                JsonObject head = object(file, line);
                long seq = head.getLong("seq");
                heads++;
                if (!isSigned(key, String.join("\n", "rilvan head of the log of acts", head.getString("log"), Long.toString(seq), head.getString("digest"), head.getString("at")), head.getString("signature"))) {
                    problem(seq, "the signature of the head of " + head.getString("at") + " does not fit the key");
                } else if (seq > last) {
                    problem(last + 1, "the export ends before this act, and a head of " + head.getString("at") + " tells of acts up to " + seq);
                } else if (seq >= first && !head.getString("digest").equals(digests.get(seq))) {
                    problem(seq, "the head that was signed here at " + head.getString("at") + " is of another log: acts up to this one were rewritten");
                }
            }
        }
    }

    private void problem(long seq, String message) {
        problems.add(JsonObject.builder().value("seq", seq).value("message", message).done());
    }

    private static BufferedReader open(Path file) throws IOException {
        try {
            return Files.newBufferedReader(file, StandardCharsets.UTF_8);
        } catch (NoSuchFileException e) {
            throw new Failure(Failure.REFUSED, "there is no file " + file);
        }
    }

    private static JsonObject object(Path file, String line) {
        try {
            return JsonParser.object().from(line);
        } catch (JsonParserException e) {
            throw new Failure(Failure.REFUSED, file + " has a line that is not JSON; it must be as the service has written it");
        }
    }

    private static PublicKey key(Path file) throws IOException {
        try (BufferedReader lines = open(file)) {
            String base64 = String.join("", lines.lines().filter(line -> !line.startsWith("-----")).toList());
            return KeyFactory.getInstance("Ed25519").generatePublic(new X509EncodedKeySpec(Base64.getDecoder().decode(base64.strip())));
        } catch (GeneralSecurityException | IllegalArgumentException e) {
            throw new Failure(Failure.REFUSED, file + " has no public key as log key shows it");
        }
    }

    private static boolean isSigned(PublicKey key, String text, String signed) {
        try {
            Signature signature = Signature.getInstance("Ed25519");
            signature.initVerify(key);
            signature.update(text.getBytes(StandardCharsets.UTF_8));
            return signature.verify(Base64.getDecoder().decode(signed));
        } catch (GeneralSecurityException | IllegalArgumentException e) {
            return false;
        }
    }

    private static String digest(String text) {
        try {
            return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8)));
        } catch (GeneralSecurityException e) {
            throw new IllegalStateException(e);
        }
    }
}
