package rilvan.lab;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonParserException;
import com.grack.nanojson.JsonWriter;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Locale;
import java.util.Optional;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.device.Device;
import rilvan.lab.device.Faults;

/**
 * The lab's own small interface, on loopback and apart from the service: what devices really hold, pings from them, and
 * faults to arm. {@code GET /host-keys}, {@code GET /devices/NAME/running}, {@code POST /devices/NAME/typed}, {@code POST /devices/NAME/faults} and
 * {@code DELETE}, {@code POST /ping}.
 */
final class Control implements AutoCloseable {

    private final Lab lab;
    private final HttpServer server;

    Control(Lab lab, int port) throws IOException {
        this.lab = lab;
        this.server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), port), 0);
        server.createContext("/", this::serve);
        server.start();
    }

    int port() {
        return server.getAddress().getPort();
    }

    private void serve(HttpExchange exchange) throws IOException {
        int status = 200;
        String answer;
        try {
            answer = answer(exchange.getRequestMethod(), exchange.getRequestURI().getPath().split("/"),
                    new String(exchange.getRequestBody().readAllBytes(), StandardCharsets.UTF_8));
        } catch (RuntimeException | JsonParserException e) {
            status = 400;
            answer = e.getMessage() + "\n";
        }
        byte[] bytes = answer.getBytes(StandardCharsets.UTF_8);
        exchange.getResponseHeaders().set("Content-Type", "text/plain; charset=utf-8");
        exchange.sendResponseHeaders(status, bytes.length);
        exchange.getResponseBody().write(bytes);
        exchange.close();
    }

    private String answer(String method, String[] path, String body) throws JsonParserException {
        String what = method + " " + String.join("/", path).replaceFirst("^/devices/[^/]+", "/devices/NAME");
        switch (what) {
            case "GET /host-keys":
                StringBuilder lines = new StringBuilder();
                lab.hostKeys().forEach((name, key) -> lines.append(name).append(' ').append(key).append('\n'));
                return lines.toString();
            case "GET /devices/NAME/running":
                return device(path[2]).running();
            case "POST /devices/NAME/typed":
                device(path[2]).typed(body);
                return "typed\n";
            case "POST /devices/NAME/faults":
                JsonObject fault = JsonParser.object().from(body);
                Faults.Step step = Faults.Step.valueOf(fault.getString("step", "").toUpperCase(Locale.ROOT));
                device(path[2]).faults().once(step, new Faults.Armed(fault.getString("message", "refused by the lab"), fault.getString("path", ""), Duration.ofSeconds(fault.getInt("away", 0))));
                return "armed\n";
            case "DELETE /devices/NAME/faults":
                device(path[2]).faults().mend();
                return "mended\n";
            case "POST /ping":
                JsonObject ping = JsonParser.object().from(body);
                Forwarding.Ping seen = lab.forwarding().ping(device(ping.getString("from", "")).name(), ping.getString("vrf", ""),
                        Optional.ofNullable(ping.getString("source")), ping.getString("to", ""), ping.getInt("size", 64));
                return JsonWriter.string().object().value("answered", seen.answered()).value("reason", seen.reason()).end().done() + "\n";
            default:
                throw new IllegalArgumentException("the lab does not know " + what);
        }
    }

    private Device device(String name) {
        return Optional.ofNullable(lab.devices().get(name))
                .orElseThrow(() -> new IllegalArgumentException("the lab has no device named '" + name + "'"));
    }

    @Override
    public void close() {
        server.stop(0);
    }
}
