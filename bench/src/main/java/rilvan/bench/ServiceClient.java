package rilvan.bench;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.util.List;

/** The interface of a running service, as a program uses it. */
final class ServiceClient {

    private final HttpClient http = HttpClient.newHttpClient();
    private final String server;
    private final String token;

    ServiceClient(String server, String password) throws IOException, InterruptedException, JsonParserException {
        this.server = server;
        this.token = JsonParser.object().from(http.send(HttpRequest.newBuilder(URI.create(server + "/api/v1/tokens")).header("Content-Type", "application/json")
                .POST(HttpRequest.BodyPublishers.ofString("{\"user\":\"engineer\",\"password\":\"" + password + "\"}")).build(), HttpResponse.BodyHandlers.ofString()).body())
                .getString("token");
    }

    HttpResponse<String> ask(String method, String path, String body) throws IOException, InterruptedException {
        return http.send(HttpRequest.newBuilder(URI.create(server + path)).header("Content-Type", body.startsWith("{") ? "application/json" : "application/yaml").header("Authorization", "Bearer " + token)
                .method(method, HttpRequest.BodyPublishers.ofString(body)).build(), HttpResponse.BodyHandlers.ofString());
    }

    /** @throws IOException where the answer is a refusal */
    String send(String method, String path, String body) throws IOException, InterruptedException {
        HttpResponse<String> answer = ask(method, path, body);
        if (answer.statusCode() >= 300) {
            throw new IOException(method + " " + path + ": " + answer.statusCode() + " " + answer.body());
        }
        return answer.body();
    }

    JsonObject object(String method, String path, String body) throws IOException, InterruptedException, JsonParserException {
        return JsonParser.object().from(send(method, path, body));
    }

    static double median(List<Double> values) {
        List<Double> sorted = values.stream().sorted().toList();
        return sorted.get(sorted.size() / 2);
    }
}
