package rilvan.server.monitoring;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.anyList;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.Explainer;
import rilvan.server.store.Services;

/** How services stand before an order changes anything: those of the order first, and not more than can be looked at. */
class BaselineTest {

    private static final Set<String> DEVICES = Set.of("haven-pe1");

    private final Services services = mock(Services.class);
    private final Explainer explainer = mock(Explainer.class);
    private final CheckRunner checkRunner = mock(CheckRunner.class);
    private final Baseline baseline = new Baseline(services, explainer, checkRunner);

    @BeforeEach
    void everythingAnswers() {
        when(checkRunner.look(anyList())).thenAnswer(call -> CompletableFuture.completedFuture(call.<List<Check>>getArgument(0).stream()
                .map(check -> new Observed(check, "haven-pe1", "there", Observed.Coverage.END_TO_END, true, "answered", Map.of(), "")).toList()));
    }

    private void stands(String service, int checks) {
        when(explainer.checks(service)).thenReturn(IntStream.range(0, checks).mapToObj(i ->
                new Check(service, "reach", true, Map.of("device", "haven-pe1"), Map.of("device", "to-" + i))).toList());
    }

    @Test
    void checksOfTheOrdersOwnServicesComeFirst() {
        when(services.on(DEVICES)).thenReturn(List.of("a", "b", "own"));
        stands("a", 150);
        stands("b", 100);
        stands("own", 10);
        Baseline.Before before = baseline.look(DEVICES, Set.of("own")).join();
        assertThat(before.seen()).hasSize(200).startsWith(before.byCheck().get(new Check("own", "reach", true, Map.of("device", "haven-pe1"), Map.of("device", "to-0"))));
        assertThat(before.beside(Set.of("own"))).hasSize(190);
        // The last one was cut short, and it says so.
        assertThat(before.left()).isEqualTo(1);
    }

    /** A service over a whole country is looked at where the order is. */
    @Test
    void checksThatBeginOrEndOnTheDevicesComeBeforeOthers() {
        when(services.on(DEVICES)).thenReturn(List.of("wide", "b"));
        when(explainer.checks("wide")).thenReturn(IntStream.range(0, 1000).mapToObj(i ->
                new Check("wide", "reach", true, Map.of("device", "far-" + i), Map.of("device", i == 999 ? "haven-pe1" : "olvar-pe1"))).toList());
        stands("b", 10);
        Baseline.Before before = baseline.look(DEVICES, Set.of()).join();
        assertThat(before.seen()).hasSize(200).anyMatch(each -> each.check().from().get("device").equals("far-999"))
                .filteredOn(each -> each.check().service().equals("b")).hasSize(10);
        assertThat(before.left()).isEqualTo(1);
    }

    @Test
    void checksBeyondTheLimitAreNotExpanded() {
        when(services.on(DEVICES)).thenReturn(List.of("a", "b", "c"));
        stands("a", 200);
        assertThat(baseline.look(DEVICES, Set.of()).join().left()).isEqualTo(2);
        verify(explainer, never()).checks("b");
    }

    @Test
    void aServiceThatCannotBeExpandedDoesNotHideOthers() {
        when(services.on(DEVICES)).thenReturn(List.of("a", "b"));
        when(explainer.checks(anyString())).thenThrow(new ValidationFailure("/services/0", "the port is gone"));
        doReturn(List.of(new Check("b", "reach", true, Map.of("device", "haven-pe1"), Map.of()))).when(explainer).checks("b");
        assertThat(baseline.look(DEVICES, Set.of()).join().seen()).extracting(each -> each.check().service()).containsExactly("b");
    }
}
