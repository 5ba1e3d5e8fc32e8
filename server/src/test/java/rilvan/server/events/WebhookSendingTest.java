package rilvan.server.events;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.ArgumentMatchers.contains;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.ArgumentMatchers.longThat;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import com.sun.net.httpserver.HttpServer;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.nio.file.Path;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.server.TestSettings;
import rilvan.server.keys.CredentialVault;
import rilvan.server.store.Events;
import rilvan.server.store.Json;
import rilvan.server.store.WebhookRecords;
import rilvan.server.store.WebhookRecords.WebhookRow;

class WebhookSendingTest {

    private final WebhookRecords webhooks = mock(WebhookRecords.class);
    private final Events events = mock(Events.class);
    private final EventStream stream = mock(EventStream.class);
    private final CredentialVault vault = mock(CredentialVault.class);

    /** Nobody listens: it is tried again after a pause that doubles, up to an hour, and given up after a day. */
    @ParameterizedTest
    @CsvSource({"0, , 1", "1, 1, 2", "5, 60, 32", "11, 4000, 2048", "12, 8000, 3600", "40, 80000, 3600", "40, 90000, 0"})
    void whatIsNotTakenIsTriedAgainForADay(int tries, Long failingForSeconds, long pause) throws Exception {
        String address;
        try (ServerSocket closed = new ServerSocket(0)) {
            address = "http://127.0.0.1:" + closed.getLocalPort() + "/";
        }
        OffsetDateTime from = failingForSeconds == null ? null : OffsetDateTime.now();
        WebhookRow row = new WebhookRow("planners", address, "[]", new byte[0], 6, tries, from, "", null, OffsetDateTime.now(), OffsetDateTime.now(), "mara");
        when(events.last()).thenReturn(7L);
        when(webhooks.claim(anyString(), eq(7L), anyLong())).thenReturn(Optional.of(row)).thenReturn(Optional.empty());
        when(webhooks.webhook("planners")).thenReturn(Optional.of(row));
        when(webhooks.failingSeconds("planners")).thenReturn(Optional.ofNullable(failingForSeconds));
        when(vault.open(anyString(), any())).thenReturn("a shared secret");
        when(stream.after(anyLong(), anyInt(), any(), any())).thenReturn(List.of(event("7")));
        new WebhookSending(webhooks, events, stream, vault, new Json(), TestSettings.of(Path.of("rilvan.key"))).sendDue();
        verify(webhooks, never()).taken(anyString(), anyString(), anyLong(), anyLong());
        if (pause > 0) {
            verify(webhooks).failed(eq("planners"), anyString(), contains("it cannot be reached"), eq(pause));
        } else {
            verify(webhooks).giveUp(eq("planners"), anyString(), contains("it cannot be reached"));
        }
    }

    /** What has come since the last number was asked for is found with the rest; it is not sent once more afterwards. */
    @Test
    void whatComesMeanwhileIsSentOnce() throws Exception {
        HttpServer receiver = HttpServer.create(new InetSocketAddress("127.0.0.1", 0), 0);
        receiver.createContext("/", exchange -> {
            exchange.sendResponseHeaders(204, -1);
            exchange.close();
        });
        receiver.start();
        WebhookRow row = new WebhookRow("planners", "http://127.0.0.1:" + receiver.getAddress().getPort() + "/", "[]", new byte[0], 6, 0, null, "", null, OffsetDateTime.now(), OffsetDateTime.now(), "mara");
        when(events.last()).thenReturn(7L);
        when(webhooks.claim(anyString(), eq(7L), anyLong())).thenReturn(Optional.of(row)).thenReturn(Optional.empty());
        when(webhooks.taken(anyString(), anyString(), anyLong(), anyLong())).thenReturn(1);
        when(vault.open(anyString(), any())).thenReturn("a shared secret");
        when(stream.after(anyLong(), anyInt(), any(), any())).thenReturn(List.of(event("7"), event("8")));
        new WebhookSending(webhooks, events, stream, vault, new Json(), TestSettings.of(Path.of("rilvan.key"))).sendDue();
        receiver.stop(0);
        verify(webhooks).taken(eq("planners"), anyString(), eq(7L), longThat(seconds -> seconds > 0));
        verify(webhooks, times(2)).taken(eq("planners"), anyString(), eq(8L), anyLong());
    }

    private static CloudEvent event(String id) {
        return new CloudEvent("1.0", id, "urn:uuid:x", "rilvan.tenant.added", "tenant/a", "2026-05-04T08:00:00Z", "application/json", Map.of());
    }
}
