package rilvan.server.api;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.when;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.csrf;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.get;
import static org.springframework.test.web.servlet.request.MockMvcRequestBuilders.post;
import static org.springframework.test.web.servlet.result.MockMvcResultMatchers.content;
import static org.springframework.test.web.servlet.result.MockMvcResultMatchers.header;
import static org.springframework.test.web.servlet.result.MockMvcResultMatchers.jsonPath;
import static org.springframework.test.web.servlet.result.MockMvcResultMatchers.status;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.hamcrest.Matchers;
import org.junit.jupiter.api.Test;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.boot.webmvc.test.autoconfigure.WebMvcTest;
import org.springframework.context.annotation.Import;
import org.springframework.dao.DataAccessResourceFailureException;
import org.springframework.http.MediaType;
import org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors;
import org.springframework.test.context.bean.override.mockito.MockitoBean;
import org.springframework.test.web.servlet.MockMvc;
import org.springframework.test.web.servlet.request.RequestPostProcessor;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.plan.OrderDocument;
import rilvan.server.access.Callers;
import rilvan.server.access.PasswordCheck;
import rilvan.server.access.Role;
import rilvan.server.access.Security;
import rilvan.server.access.SignIns;
import rilvan.server.access.SomebodySignedIn;
import rilvan.server.access.openid.OpenIdSignIn;
import rilvan.server.acts.ActLog;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.orders.history.StepView;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.store.Accounts;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Services;
import rilvan.server.store.StageRecords;

/** Orders over HTTP, security included, without the rest of the service. */
@WebMvcTest(OrderController.class)
@Import({Security.class, SignIns.class, Problems.class, Json.class, Sight.class, MaskedAnswers.class, Callers.class})
class OrderControllerTest {

    @Autowired
    private MockMvc http;
    @MockitoBean
    private OrderIntake intake;
    @MockitoBean
    private StartTimes times;
    @MockitoBean
    private Orders orders;
    @MockitoBean
    private StageRecords stages;
    @MockitoBean
    private OrderProgress progress;
    @MockitoBean
    private Accounts accounts;
    @MockitoBean
    private PasswordCheck check;
    @MockitoBean
    private ActLog acts;
    @MockitoBean
    private StoredPlanningSource source;
    @MockitoBean
    private Services services;
    @MockitoBean
    private OpenIdSignIn openId;
    @MockitoBean
    private Library library;

    private static RequestPostProcessor engineer() {
        return SomebodySignedIn.with("engineer", Role.RUN);
    }

    private void orderNineIs(String state) {
        when(orders.order(9)).thenReturn(Optional.of(new Orders.OrderRow(9, "engineer", "-", "{}", state, 1, "t", "", "{}", "{}", "", null, null, null, false, false,
                "[]", true, "[]", "[]", false, null, null, false, false, "[]", "[]", null, null, 1, null, null, false)));
    }

    @Test
    void aRequestWithoutSignInIsRefused() throws Exception {
        http.perform(get("/api/v1/orders")).andExpect(status().isUnauthorized()).andExpect(header().string("WWW-Authenticate", "Bearer realm=\"rilvan\""))
                .andExpect(content().contentType(MediaType.APPLICATION_PROBLEM_JSON)).andExpect(jsonPath("$.title").value("Not signed in"));
        http.perform(post("/api/v1/orders").with(csrf()).content("{}")).andExpect(status().isUnauthorized());
        http.perform(get("/api/v1/orders").header("Authorization", "Bearer nonsense")).andExpect(status().isUnauthorized());
    }

    /** Whoever asks, and however. */
    @Test
    void everyAnswerTellsBrowsersWhatItIsNotFor() throws Exception {
        for (RequestPostProcessor who : List.of(engineer(), SecurityMockMvcRequestPostProcessors.anonymous())) {
            http.perform(get("/api/v1/orders").with(who)).andExpect(header().string("X-Content-Type-Options", "nosniff")).andExpect(header().string("X-Frame-Options", "DENY"))
                    .andExpect(header().string("Referrer-Policy", "no-referrer")).andExpect(header().string("Cross-Origin-Opener-Policy", "same-origin"))
                    .andExpect(header().string("Content-Security-Policy", Matchers.containsString("frame-ancestors 'none'"))).andExpect(header().string("Cache-Control", Matchers.containsString("no-store")))
                    .andExpect(header().exists("Permissions-Policy"));
        }
        http.perform(get("/api/v1/orders").secure(true).with(engineer())).andExpect(header().exists("Strict-Transport-Security"));
    }

    /** Also where it is noticed before any controller is asked. */
    @Test
    void aStoreThatIsAwayIsSaidToBe() throws Exception {
        when(accounts.token(anyString())).thenThrow(new DataAccessResourceFailureException("away"));
        http.perform(get("/api/v1/orders").header("Authorization", "Bearer known")).andExpect(status().isServiceUnavailable())
                .andExpect(header().exists("Retry-After")).andExpect(content().contentType(MediaType.APPLICATION_PROBLEM_JSON));
    }

    @Test
    void aSessionNeedsItsTokenForWhateverChangesSomething() throws Exception {
        http.perform(post("/api/v1/orders").with(engineer()).content("{}")).andExpect(status().isForbidden());
    }

    /** Whoever prepares may see what an order would do, and not place it. */
    @Test
    void whatSomebodyMayNotDoIsRefusedWithTheRoleThatItNeeds() throws Exception {
        RequestPostProcessor anna = SomebodySignedIn.with("anna", Role.PREPARE);
        http.perform(post("/api/v1/orders").with(anna).with(csrf()).content("remove: [a]")).andExpect(status().isForbidden()).andExpect(content().contentType(MediaType.APPLICATION_PROBLEM_JSON))
                .andExpect(jsonPath("$.detail").value("this needs the role run; anna has prepare. Somebody who administers people can give it"));
        when(orders.order(9)).thenReturn(Optional.empty());
        http.perform(get("/api/v1/orders/9").with(anna)).andExpect(status().isNotFound());
        http.perform(get("/api/v1/orders/9").with(SomebodySignedIn.with("bert"))).andExpect(status().isForbidden())
                .andExpect(jsonPath("$.detail").value("this needs the role look; bert has none. Somebody who administers people can give it"));
    }

    /** Rather than leaving it out without a word. */
    @Test
    void aParameterThatARequestDoesNotHaveIsRefused() throws Exception {
        http.perform(get("/api/v1/orders?limt=10&before=9").with(engineer())).andExpect(status().isUnprocessableContent())
                .andExpect(jsonPath("$.errors[0].pointer").value("/limt")).andExpect(jsonPath("$.errors[0].detail").value("is no parameter of this request; it has after, before, by, device, limit, service, since, state, tenant, until"));
        http.perform(get("/api/v1/orders/9?verbose").with(engineer())).andExpect(jsonPath("$.errors[0].detail").value("is no parameter of this request; it has none"));
    }

    @Test
    void aRefusalNamesEachField() throws Exception {
        when(intake.place(anyString(), any())).thenThrow(new ValidationFailure(List.of(
                new Problem("/services/0/name", "is missing"), new Problem("/services/0/tenant", "is missing"))));
        http.perform(post("/api/v1/orders").with(engineer()).with(csrf()).content("services: [{}]"))
                .andExpect(status().isUnprocessableContent()).andExpect(content().contentType(MediaType.APPLICATION_PROBLEM_JSON))
                .andExpect(jsonPath("$.detail").value("2 errors")).andExpect(jsonPath("$.errors[1].pointer").value("/services/0/tenant"));
    }

    @Test
    void aPlacedOrderIsAcceptedAndARepeatedOneIsTheSame() throws Exception {
        when(intake.place(anyString(), any())).thenReturn(new OrderIntake.Placed(Optional.of(7L), Optional.empty(), OrderDocument.read(Document.read("{\"remove\":[\"a\"]}")), "digest"));
        http.perform(post("/api/v1/orders").with(engineer()).with(csrf()).header("Idempotency-Key", "k").content("remove: [a]"))
                .andExpect(status().isAccepted()).andExpect(jsonPath("$.order").value(7));
    }

    @Test
    void anUnknownResourceIsNotFound() throws Exception {
        when(orders.order(9)).thenReturn(Optional.empty());
        http.perform(get("/api/v1/orders/9").with(engineer())).andExpect(status().isNotFound()).andExpect(jsonPath("$.title").value("Not found"));
    }

    @Test
    void theStepsOfAnOrderComeInTheirSequence() throws Exception {
        orderNineIs("PREPARED");
        OffsetDateTime at = OffsetDateTime.parse("2026-01-02T03:04:05Z");
        when(progress.events(9)).thenReturn(List.of(StepView.of(new Orders.EventRow(9, 1, at, "haven-pe1", "LOCK", "OK", "locked")),
                StepView.of(new Orders.EventRow(9, 2, at, "", "RECORD", "PREPARED", ""))));
        http.perform(get("/api/v1/orders/9").with(engineer())).andExpect(status().isOk())
                .andExpect(jsonPath("$.events[0].device").value("haven-pe1")).andExpect(jsonPath("$.events[0].text").value("locked"))
                .andExpect(jsonPath("$.events[1].seq").value(2)).andExpect(jsonPath("$.events[1].result").value("PREPARED"));
    }

    @Test
    void anOrderThatHasEndedIsNotCancelledAndSaysSo() throws Exception {
        orderNineIs("DONE");
        http.perform(post("/api/v1/orders/9/cancellation").with(engineer()).with(csrf())).andExpect(status().isConflict())
                .andExpect(jsonPath("$.detail").value("order 9 is done; an order can be cancelled until it is decided"));
    }

    @Test
    void aResolutionNamesADeviceOfTheOrder() throws Exception {
        orderNineIs("PREPARED");
        http.perform(post("/api/v1/orders/9/devices/nowhere/resolutions").with(engineer()).with(csrf()).contentType(MediaType.APPLICATION_JSON)
                .content("{\"holds\":\"before\"}")).andExpect(status().isNotFound());
    }

    @Test
    void aResolutionSaysBeforeOrAfter() throws Exception {
        orderNineIs("PREPARED");
        http.perform(post("/api/v1/orders/9/devices/haven-pe1/resolutions").with(engineer()).with(csrf()).contentType(MediaType.APPLICATION_JSON)
                .content("{\"holds\":\"perhaps\"}")).andExpect(status().isUnprocessableContent()).andExpect(jsonPath("$.errors[0].pointer").value("/holds"));
    }
}
