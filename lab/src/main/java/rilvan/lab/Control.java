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
import java.util.Arrays;
import java.util.Locale;
import java.util.Optional;
import rilvan.lab.behaviour.Forwarding;
import rilvan.lab.device.Device;
import rilvan.lab.device.Faults;
import rilvan.lab.device.Faults.Trouble;

/**
 * The lab's own small interface, on loopback and apart from the service: what devices really hold, pings from them, and
 * faults to arm. {@code GET /host-keys}, {@code POST /ping}, {@code POST /trace}, and below {@code /devices/NAME}: {@code GET running},
 * {@code POST typed}, {@code POST locked}, {@code POST host-key} for a new one, {@code POST faults} and {@code DELETE faults}.
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
        } catch (IOException | RuntimeException | JsonParserException e) {
            status = 400;
            answer = JsonWriter.string().object().value("status", status).value("detail", e.getMessage()).end().done();
        }
        byte[] bytes = answer.getBytes(StandardCharsets.UTF_8);
        exchange.getResponseHeaders().set("Content-Type", status == 200 ? "text/plain; charset=utf-8" : "application/problem+json");
        exchange.sendResponseHeaders(status, bytes.length);
        exchange.getResponseBody().write(bytes);
        exchange.close();
    }

    private String answer(String method, String[] path, String body) throws IOException, JsonParserException {
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
                arm(device(path[2]).faults(), fault);
                return "set\n";
            case "POST /devices/NAME/locked":
                device(path[2]).lockedByAnother(Duration.ofSeconds(JsonParser.object().from(body).getInt("seconds", 0)));
                return "locked\n";
            case "POST /devices/NAME/host-key":
                return lab.newHostKey(device(path[2]).name()) + "\n";
            case "DELETE /devices/NAME/faults":
                device(path[2]).faults().clear();
                return "cleared\n";
            case "POST /ping":
                JsonObject ping = JsonParser.object().from(body);
                Forwarding.Ping seen = lab.forwarding().ping(device(ping.getString("from", "")).name(), ping.getString("vrf", ""),
                        Optional.ofNullable(ping.getString("source")), ping.getString("to", ""), ping.getInt("size", 64));
                return JsonWriter.string().object().value("answered", seen.answered()).value("reason", seen.reason()).end().done() + "\n";
            case "POST /trace":
                JsonObject trace = JsonParser.object().from(body);
                Forwarding.Trace found = lab.forwarding().trace(device(trace.getString("from", "")).name(), trace.getString("vrf", ""),
                        Optional.ofNullable(trace.getString("source")), trace.getString("to", ""));
                return JsonWriter.string().object().array("there", found.there()).array("back", found.back()).value("lost", found.lost()).end().done() + "\n";
            default:
                throw new IllegalArgumentException("the lab does not know " + what);
        }
    }

    /** Arms a fault at a step, or, where none is named, lets it happen now. */
    private static void arm(Faults faults, JsonObject fault) {
        Duration seconds = Duration.ofSeconds(fault.getInt("seconds", 0));
        Trouble trouble = switch (fault.getString("trouble", "")) {
            case "refuse" -> new Trouble.Refusal(fault.getString("message", ""), fault.getString("path", ""));
            case "slow" -> new Trouble.Slowness(seconds);
            case "silent" -> new Trouble.Silence();
            case "pretend" -> new Trouble.Pretence();
            case "lose" -> new Trouble.Loss(seconds);
            case "restart" -> new Trouble.Restart(seconds);
            default -> throw new IllegalArgumentException("trouble: expected refuse, slow, silent, pretend, lose or restart");
        };
        if (fault.getString("step", "").isEmpty()) {
            now(faults, trouble);
            return;
        }
        Faults.FaultPoint step = Faults.FaultPoint.valueOf(fault.getString("step").toUpperCase(Locale.ROOT).replace('-', '_'));
        Duration during = Duration.ofSeconds(fault.getInt("during", 0));
        if (during.isZero()) {
            faults.once(step, trouble);
        } else {
            faults.during(during, step, trouble);
        }
    }

    private static void now(Faults faults, Trouble trouble) {
        if (trouble instanceof Trouble.Loss loss) {
            faults.lose(loss.away());
        } else if (trouble instanceof Trouble.Restart anew) {
            faults.restart(anew.away());
        } else {
            throw new IllegalArgumentException("step: expected one of " + Arrays.toString(Faults.FaultPoint.values()).toLowerCase(Locale.ROOT).replace('_', '-'));
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
