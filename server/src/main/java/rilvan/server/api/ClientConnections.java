package rilvan.server.api;

import jakarta.servlet.ServletException;
import java.io.IOException;
import java.util.function.Supplier;
import org.apache.catalina.connector.Request;
import org.apache.catalina.connector.Response;
import org.apache.catalina.valves.ValveBase;
import org.apache.coyote.ActionCode;
import org.springframework.boot.tomcat.ConfigurableTomcatWebServerFactory;
import org.springframework.boot.web.server.WebServerFactoryCustomizer;
import org.springframework.stereotype.Component;
import org.springframework.web.context.request.RequestAttributes;
import org.springframework.web.context.request.RequestContextHolder;
import rilvan.server.orders.intake.Client;

/**
 * Tells of the request that a thread answers whether its client has closed the connection (TCP's FIN or a reset, RFC 9293 §3.6). Servlets notice that by
 * writing alone; the server beneath them can look without waiting.
 */
@Component
class ClientConnections implements Supplier<Client>, WebServerFactoryCustomizer<ConfigurableTomcatWebServerFactory> {

    private static final String CLIENT = ClientConnections.class.getName();
    /** What the server tells of a connection that ended, in place of a number of bytes. No request is as short. */
    private static final int ENDED = 1;

    @Override
    public void customize(ConfigurableTomcatWebServerFactory server) {
        server.addEngineValves(new Noting());
    }

    @Override
    public Client get() {
        RequestAttributes request = RequestContextHolder.getRequestAttributes();
        return request != null && request.getAttribute(CLIENT, RequestAttributes.SCOPE_REQUEST) instanceof Client client ? client : Client.STAYS;
    }

    private static boolean ended(org.apache.coyote.Request request) {
        request.action(ActionCode.AVAILABLE, true);
        return request.getAvailable() == ENDED;
    }

    private static final class Noting extends ValveBase {

        Noting() {
            super(true);
        }

        @Override
        public void invoke(Request request, Response response) throws IOException, ServletException {
            org.apache.coyote.Request below = request.getCoyoteRequest();
            request.setAttribute(CLIENT, (Client) () -> ended(below));
            getNext().invoke(request, response);
        }
    }
}
