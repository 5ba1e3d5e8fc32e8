package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.net.ConnectException;
import java.net.HttpURLConnection;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.UUID;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.BiConsumer;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import javax.net.ssl.HttpsURLConnection;
import javax.net.ssl.SSLException;

/** The REST interface as the commands use it, and the session that {@code sign-in} leaves behind. */
final class Server {

    private static final String DEFAULT = "http://127.0.0.1:8840";
    private static final int CONNECT_MILLIS = 5_000;
    private static final int ANSWER_MILLIS = 60_000;
    /** Checks and comparisons of a large network take their time. */
    private static final int LOOK_MILLIS = 330_000;
    private static final int TRIES = 3;
    private static final Pattern NEXT = Pattern.compile("<([^>]+)>; *rel=\"next\"");

    private final String address;
    private final String token;
    private final Optional<Path> authority;

    /** @param authority a file with the certificates of who has signed that of the service; nobody where it is signed by somebody whom Java knows */
    private Server(String address, String token, Optional<Path> authority) {
        this.address = address;
        this.token = token;
        this.authority = authority;
    }

    static String defaultAddress() {
        String given = System.getenv("RILVAN_SERVER");
        return given != null ? given : DEFAULT;
    }

    /** The server that was signed in to; of a program, that of its token. */
    static Server signedIn() {
        String token = System.getenv("RILVAN_TOKEN");
        if (token != null && !token.isBlank()) {
            return new Server(defaultAddress(), token.strip(), defaultAuthority());
        }
        Profile profile = Profile.present();
        Profile.Session session = profile.session().orElseThrow(() -> new Failure(Failure.NOT_REACHED, profile.name().isEmpty() ? "not signed in; run: rilvan sign-in --user NAME"
                : "not signed in to the profile " + profile.name() + "; run: rilvan sign-in --profile " + profile.name() + " --server URL --user NAME"));
        return new Server(session.server(), session.token(), session.authority());
    }

    static Server anonymous(String address, Optional<Path> authority) {
        return new Server(address, "", authority.or(Server::defaultAuthority).map(Path::toAbsolutePath));
    }

    private static Optional<Path> defaultAuthority() {
        return Optional.ofNullable(System.getenv("RILVAN_CA")).filter(file -> !file.isBlank()).map(Path::of);
    }

    /** Keeps a token for the other commands. */
    void keep(String newToken, Profile profile) throws IOException {
        profile.keep(new Profile.Session(address, newToken, authority));
    }

    JsonObject object(String method, String path, String body, String type) throws IOException {
        return (JsonObject) json(method, path, body, type);
    }

    /** Puts a thing, on the conditions that the headers say (RFC 9110 §13.1). */
    JsonObject put(String path, String body, Map<String, String> conditions) throws IOException {
        return (JsonObject) parsed(text("PUT", path, body, Documents.JSON, ANSWER_MILLIS, conditions));
    }

    /** Posts to a thing, on the conditions that the headers say (RFC 9110 §13.1). */
    JsonObject post(String path, String body, String type, Map<String, String> conditions) throws IOException {
        return (JsonObject) parsed(text("POST", path, body, type, ANSWER_MILLIS, conditions));
    }

    /** Asks for something that answers nothing. */
    void posted(String path, Map<String, String> conditions) throws IOException {
        text("POST", path, "", Documents.JSON, ANSWER_MILLIS, conditions);
    }

    /** A thing with its entity tag. */
    record Tagged(JsonObject value, String tag) {}

    Tagged tagged(String path) throws IOException {
        HttpURLConnection connection = open("GET", path, null, null, ANSWER_MILLIS, Map.of());
        return new Tagged((JsonObject) parsed(content(connection)), connection.getHeaderField("ETag"));
    }

    JsonObject get(String path) throws IOException {
        return (JsonObject) json("GET", path, null, null);
    }

    /** What a look at the network comes to, made now. */
    JsonArray look(String path) throws IOException {
        return (JsonArray) parsed(text("POST", path, "", Documents.JSON, LOOK_MILLIS, Map.of()));
    }

    /** What there is after a decision. */
    JsonArray decided(String path, String body) throws IOException {
        return (JsonArray) json("POST", path, body, Documents.JSON);
    }

    /** A list, all pages of it. */
    JsonArray list(String path) throws IOException {
        JsonArray all = new JsonArray();
        for (String next = path; !next.isEmpty(); ) {
            HttpURLConnection connection = open("GET", next, null, null, ANSWER_MILLIS, Map.of());
            all.addAll((JsonArray) parsed(content(connection)));
            next = following(connection.getHeaderField("Link"));
        }
        return all;
    }

    /** Just the first page of a list. */
    JsonArray firstPage(String path) throws IOException {
        return (JsonArray) json("GET", path, null, null);
    }

    /** The next page of a list, by its Link header (RFC 8288); empty where there is none. */
    private static String following(String link) {
        Matcher next = NEXT.matcher(link == null ? "" : link);
        return next.find() ? next.group(1) : "";
    }

    /** Places an order. A lost answer is asked for again with the same idempotency key, which gives the same order. */
    JsonObject place(String path, String document, String type, Map<String, String> headers) throws IOException {
        Map<String, String> key = new HashMap<>(headers);
        key.put("Idempotency-Key", UUID.randomUUID().toString());
        for (int attempt = 1; ; attempt++) {
            try {
                return (JsonObject) parsed(text("POST", path, document, type, ANSWER_MILLIS, key));
            } catch (IOException e) {
                if (attempt == TRIES) {
                    throw e;
                }
            }
        }
    }

    private Object json(String method, String path, String body, String type) throws IOException {
        return parsed(text(method, path, body, type));
    }

    private Object parsed(String text) {
        try {
            return JsonParser.any().from(text);
        } catch (JsonParserException e) {
            throw new Failure(Failure.NOT_REACHED, address + " does not answer as Rilvan does");
        }
    }

    String text(String method, String path, String body, String type) throws IOException {
        return text(method, path, body, type, ANSWER_MILLIS, Map.of());
    }

    private String text(String method, String path, String body, String type, int answerMillis, Map<String, String> headers) throws IOException {
        return content(open(method, path, body, type, answerMillis, headers));
    }

    private static String content(HttpURLConnection connection) throws IOException {
        try (InputStream in = connection.getInputStream()) {
            return new String(in.readAllBytes(), StandardCharsets.UTF_8);
        }
    }

    /** Copies an answer of any length. */
    void copy(String path, OutputStream to) throws IOException {
        try (InputStream in = open("GET", path, null, null, LOOK_MILLIS, Map.of()).getInputStream()) {
            in.transferTo(to);
        }
    }

    /** Follows server-sent events, name and data, until the server ends them. */
    void events(String path, BiConsumer<String, String> receiver) throws IOException {
        events(path, new AtomicReference<>(""), receiver);
    }

    /**
     * The same, behind an event that was heard before.
     *
     * @param heard the id of the last event that was heard, empty for none; set as events come
     */
    void events(String path, AtomicReference<String> heard, BiConsumer<String, String> receiver) throws IOException {
        Map<String, String> headers = new TreeMap<>(Map.of("Accept", "text/event-stream"));
        if (!heard.get().isEmpty()) {
            headers.put("Last-Event-ID", heard.get());
        }
        HttpURLConnection connection = open("GET", path, null, null, ANSWER_MILLIS, headers);
        try (BufferedReader in = new BufferedReader(new InputStreamReader(connection.getInputStream(), StandardCharsets.UTF_8))) {
            String name = "message";
            String id = heard.get();
            for (String line = in.readLine(); line != null; line = in.readLine()) {
                if (line.isEmpty()) {
                    heard.set(id);
                } else if (line.startsWith("id:")) {
                    id = line.substring(3).strip();
                } else if (line.startsWith("event:")) {
                    name = line.substring(6).strip();
                } else if (line.startsWith("data:")) {
                    receiver.accept(name, line.substring(5));
                }
            }
        }
    }

    private HttpURLConnection open(String method, String path, String body, String type, int answerMillis, Map<String, String> headers)
            throws IOException {
        HttpURLConnection connection = (HttpURLConnection) URI.create(address + path).toURL().openConnection();
        if (connection instanceof HttpsURLConnection secure) {
            authority.map(TrustedAuthority::in).ifPresent(secure::setSSLSocketFactory);
        }
        connection.setConnectTimeout(CONNECT_MILLIS);
        connection.setReadTimeout(answerMillis);
        connection.setRequestMethod(method);
        if (!token.isEmpty()) {
            connection.setRequestProperty("Authorization", "Bearer " + token);
        }
        headers.forEach(connection::setRequestProperty);
        try {
            if (body != null) {
                connection.setDoOutput(true);
                connection.setRequestProperty("Content-Type", type);
                connection.getOutputStream().write(body.getBytes(StandardCharsets.UTF_8));
            }
            if (connection.getResponseCode() >= 400) {
                throw failure(connection);
            }
        } catch (ConnectException e) {
            throw new Failure(Failure.NOT_REACHED, "nothing answers at " + address + "; is the service running?");
        } catch (SSLException e) {
            throw new Failure(Failure.NOT_REACHED, "no safe connection to " + address + ": " + e.getMessage() + ". Where the certificate is signed by an authority of your own, give its certificate: rilvan sign-in --ca FILE");
        }
        return connection;
    }

    private Failure failure(HttpURLConnection connection) throws IOException {
        int status = connection.getResponseCode();
        if (status == 401) {
            return new Failure(Failure.NOT_REACHED, token.isEmpty() ? "this user and password do not fit"
                    : "signed in too long ago; run: rilvan sign-in --user NAME");
        }
        String body = connection.getErrorStream() == null ? ""
                : new String(connection.getErrorStream().readAllBytes(), StandardCharsets.UTF_8);
        try {
            JsonObject problem = JsonParser.object().from(body);
            StringBuilder message = new StringBuilder(problem.getString("detail", problem.getString("title", "status " + status)));
            for (Object entry : problem.getArray("errors", new JsonArray())) {
                JsonObject each = (JsonObject) entry;
                String pointer = each.getString("pointer", "");
                message.append("\n  ").append(pointer.isEmpty() ? "" : pointer + "\n      ").append(each.getString("detail"));
            }
            return new Failure(status >= 500 ? Failure.NOT_REACHED : status == HttpURLConnection.HTTP_CONFLICT || status == HttpURLConnection.HTTP_PRECON_FAILED ? Failure.IN_THE_WAY : Failure.REFUSED, message.toString());
        } catch (JsonParserException e) {
            return new Failure(Failure.NOT_REACHED, address + " answers " + status + (body.isBlank() ? "" : ": " + body.strip()));
        }
    }
}
