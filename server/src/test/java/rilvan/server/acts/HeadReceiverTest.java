package rilvan.server.acts;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatCode;

import com.sun.net.httpserver.HttpServer;
import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.net.DatagramPacket;
import java.net.DatagramSocket;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** Signed heads reach a syslog server, in the form of RFC 5424, and a web address; one that is away disturbs nobody. */
@Timeout(value = 1, unit = TimeUnit.MINUTES)
class HeadReceiverTest {

    private static final String HEAD = "{\"seq\":7}";
    /** RFC 5424 §6: facility 13 and severity 6, version, time, host, program, and the message at the end. */
    private static final String SYSLOG = "<110>1 \\d{4}-\\d\\d-\\d\\dT\\S+ \\S+ rilvan - - - ?\\{\"seq\":7}";

    @Test
    void aDatagramOfSyslog() throws Exception {
        try (DatagramSocket server = new DatagramSocket(0, InetAddress.getLoopbackAddress())) {
            new HeadReceiver("test", HeadReceiver.syslog(URI.create("udp://127.0.0.1:" + server.getLocalPort()))).send(HEAD);
            DatagramPacket packet = new DatagramPacket(new byte[2_000], 2_000);
            server.receive(packet);
            assertThat(new String(packet.getData(), 0, packet.getLength(), StandardCharsets.UTF_8).strip()).matches(SYSLOG);
        }
    }

    @Test
    void aConnectionOfSyslog() throws Exception {
        try (ServerSocket server = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
            CompletableFuture<String> line = CompletableFuture.supplyAsync(() -> {
                try (Socket socket = server.accept(); BufferedReader in = new BufferedReader(new InputStreamReader(socket.getInputStream(), StandardCharsets.UTF_8))) {
                    return in.readLine();
                } catch (java.io.IOException e) {
                    throw new java.io.UncheckedIOException(e);
                }
            });
            new HeadReceiver("test", HeadReceiver.syslog(URI.create("tcp://127.0.0.1:" + server.getLocalPort()))).send(HEAD);
            assertThat(line.get().strip()).matches(SYSLOG);
        }
    }

    @Test
    void aWebAddress() throws Exception {
        HttpServer server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
        CompletableFuture<String> body = new CompletableFuture<>();
        server.createContext("/heads", exchange -> {
            body.complete(exchange.getRequestMethod() + " " + new String(exchange.getRequestBody().readAllBytes(), StandardCharsets.UTF_8));
            exchange.sendResponseHeaders(204, -1);
            exchange.close();
        });
        server.start();
        new HeadReceiver("test", HeadReceiver.webhook(URI.create("http://127.0.0.1:" + server.getAddress().getPort() + "/heads"))).send(HEAD);
        assertThat(body.get()).isEqualTo("POST " + HEAD);
        server.stop(0);
    }

    @Test
    void whatIsAwayIsLoggedOnly() throws Exception {
        int nobody;
        try (ServerSocket closed = new ServerSocket(0)) {
            nobody = closed.getLocalPort();
        }
        assertThatCode(() -> new HeadReceiver("test", HeadReceiver.syslog(URI.create("tcp://127.0.0.1:" + nobody))).send(HEAD)).doesNotThrowAnyException();
        assertThatCode(() -> new HeadReceiver("test", HeadReceiver.webhook(URI.create("http://127.0.0.1:" + nobody))).send(HEAD)).doesNotThrowAnyException();
    }
}
