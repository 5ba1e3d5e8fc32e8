package rilvan.server.acts;

import com.cloudbees.syslog.Facility;
import com.cloudbees.syslog.MessageFormat;
import com.cloudbees.syslog.Severity;
import com.cloudbees.syslog.sender.AbstractSyslogMessageSender;
import com.cloudbees.syslog.sender.TcpSyslogMessageSender;
import com.cloudbees.syslog.sender.UdpSyslogMessageSender;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Somewhere that signed heads are sent to, outside the database.
 *
 * @param name for the log
 */
record HeadReceiver(String name, Consumer<String> to) {

    private static final Logger LOG = LoggerFactory.getLogger(HeadReceiver.class);
    private static final Duration PATIENCE = Duration.ofSeconds(5);

    /** Sends one line; that a receiver is away is logged, and nothing else waits for it. */
    void send(String line) {
        try {
            to.accept(line);
        } catch (RuntimeException e) {
            LOG.warn("a head of the log of acts could not be sent to {}: {}", name, e.getMessage());
        }
    }

    /** By syslog (RFC 5424) to {@code udp://HOST:PORT} or {@code tcp://HOST:PORT}. */
    static Consumer<String> syslog(URI address) {
        AbstractSyslogMessageSender sender;
        if (address.getScheme().equals("tcp")) {
            TcpSyslogMessageSender tcp = new TcpSyslogMessageSender();
            tcp.setSyslogServerHostname(address.getHost());
            tcp.setSyslogServerPort(address.getPort());
            sender = tcp;
        } else {
            UdpSyslogMessageSender udp = new UdpSyslogMessageSender();
            udp.setSyslogServerHostname(address.getHost());
            udp.setSyslogServerPort(address.getPort());
            sender = udp;
        }
        sender.setDefaultAppName("rilvan");
        sender.setDefaultFacility(Facility.AUDIT);
        sender.setDefaultSeverity(Severity.INFORMATIONAL);
        sender.setMessageFormat(MessageFormat.RFC_5424);
        return line -> {
            try {
                sender.sendMessage(line);
            } catch (IOException e) {
                throw new UncheckedIOException(e);
            }
        };
    }

    /** As the body of a POST. */
    static Consumer<String> webhook(URI address) {
        HttpClient http = HttpClient.newBuilder().connectTimeout(PATIENCE).build();
        return line -> {
            try {
                int status = http.send(HttpRequest.newBuilder(address).timeout(PATIENCE).header("Content-Type", "application/json")
                        .POST(HttpRequest.BodyPublishers.ofString(line)).build(), HttpResponse.BodyHandlers.discarding()).statusCode();
                if (status >= 300) {
                    throw new IllegalStateException("it answers " + status);
                }
            } catch (IOException e) {
                throw new UncheckedIOException(e);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
            }
        };
    }
}
