package rilvan.server.api;

import static java.nio.charset.StandardCharsets.US_ASCII;
import static org.assertj.core.api.Assertions.assertThat;

import jakarta.servlet.http.HttpServlet;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.net.InetAddress;
import java.net.Socket;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.springframework.boot.tomcat.servlet.TomcatServletWebServerFactory;
import org.springframework.boot.web.server.WebServer;
import org.springframework.web.context.request.RequestContextHolder;
import org.springframework.web.context.request.ServletRequestAttributes;
import rilvan.server.orders.intake.Client;

/** On a real server and real connections. */
class ClientConnectionsTest {

    private static final String PLAIN = "POST /plan HTTP/1.1\r\nHost: rilvan\r\nContent-Length: 2\r\n\r\n{}";
    private static final String CHUNKED = "POST /plan HTTP/1.1\r\nHost: rilvan\r\nTransfer-Encoding: chunked\r\n\r\n2\r\n{}\r\n0\r\n\r\n";
    private static final String BODILESS = "GET /plan HTTP/1.1\r\nHost: rilvan\r\n\r\n";

    private final ClientConnections connections = new ClientConnections();
    private final BlockingQueue<Client> answering = new ArrayBlockingQueue<>(2);
    private CountDownLatch answer = new CountDownLatch(1);
    private WebServer server;

    private final class Answers extends HttpServlet {

        @Override
        protected void service(HttpServletRequest request, HttpServletResponse response) throws IOException {
            byte[] body = request.getInputStream().readAllBytes();
            RequestContextHolder.setRequestAttributes(new ServletRequestAttributes(request));
            try {
                answering.add(connections.get());
                answer.await();
                response.getWriter().print("answered " + new String(body, US_ASCII));
            } catch (InterruptedException e) {
                throw new IOException(e);
            } finally {
                RequestContextHolder.resetRequestAttributes();
            }
        }
    }

    @BeforeEach
    void start() {
        TomcatServletWebServerFactory factory = new TomcatServletWebServerFactory(0);
        connections.customize(factory);
        server = factory.getWebServer(context -> context.addServlet("answers", new Answers()).addMapping("/*"));
        server.start();
    }

    @AfterEach
    void stop() {
        answer.countDown();
        server.stop();
    }

    private Socket asking(String request) throws IOException {
        Socket client = new Socket(InetAddress.getLoopbackAddress(), server.getPort());
        client.getOutputStream().write(request.getBytes(US_ASCII));
        return client;
    }

    private Client next() throws InterruptedException {
        return answering.poll(30, TimeUnit.SECONDS);
    }

    @ParameterizedTest
    @ValueSource(strings = {PLAIN, CHUNKED, BODILESS})
    void aClientThatClosedItsConnectionIsGone(String request) throws Exception {
        try (Socket socket = asking(request)) {
            Client client = next();
            assertThat(client.gone()).isFalse();
            assertThat(client.gone()).isFalse();
            socket.close();
            while (!client.gone()) {
                Thread.onSpinWait();
            }
            assertThat(client.gone()).isTrue();
        }
    }

    @ParameterizedTest
    @ValueSource(strings = {PLAIN, CHUNKED, BODILESS})
    void oneThatSendsItsNextRequestBeforehandIsThereAndGetsBothAnswers(String request) throws Exception {
        try (Socket socket = asking(request)) {
            Client client = next();
            socket.getOutputStream().write(BODILESS.replace("rilvan\r\n", "rilvan\r\nConnection: close\r\n").getBytes(US_ASCII));
            for (int look = 0; look < 1000; look++) {
                assertThat(client.gone()).isFalse();
            }
            answer.countDown();
            assertThat(new String(socket.getInputStream().readAllBytes(), US_ASCII).split("answered", -1)).hasSize(3);
        }
    }

    @Test
    void whereThereIsNoRequestNobodyGoes() {
        assertThat(connections.get()).isSameAs(Client.STAYS);
    }
}
