package rilvan.server.inventory;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.List;
import java.util.Set;
import java.util.stream.LongStream;
import org.junit.jupiter.api.Test;
import rilvan.core.pool.Pool;
import rilvan.server.store.Services;

/** Which numbers plannings of one instance find free ({@link PlannedNumbers}, {@link NumberPromises}). */
class PlannedNumbersTest {

    private static final Pool POOL = new Pool("vni", 1, 100, List.of(new Pool.Span(2, 3)), new Pool.Text("{}"));

    private final Services services = mock(Services.class);
    private final DatabaseAllocations stored = new DatabaseAllocations(services);

    private void free() {
        when(services.free(anyString(), anyString(), anyLong(), anyLong(), anyLong(), anyInt())).thenAnswer(asked ->
                LongStream.rangeClosed(asked.getArgument(2, Long.class), asked.getArgument(3, Long.class)).limit(asked.getArgument(5, Integer.class)).boxed().toList());
    }

    @Test
    void ordersThatArePlannedAtTheSameTimeGetNumbersOfTheirOwn() {
        free();
        try (PlannedNumbers one = stored.forOrder(); PlannedNumbers other = stored.forOrder()) {
            assertThat(one.lowestFree(POOL, "", Set.of())).contains(1L);
            assertThat(other.lowestFree(POOL, "", Set.of())).contains(4L);
            assertThat(other.lowestFree(POOL, "elsewhere", Set.of())).contains(1L);
            assertThat(one.lowestFree(POOL, "", Set.of(5L))).contains(6L);
            // Whoever only looks is shown what is left, and keeps it from nobody.
            assertThat(stored.lowestFree(POOL, "", Set.of())).contains(5L);
            assertThat(other.lowestFree(POOL, "", Set.of())).contains(5L);
        }
        assertThat(stored.lowestFree(POOL, "", Set.of())).contains(1L);
    }

    /** It may have asked the store before the other one took its number. */
    @Test
    void aNumberStaysPromisedUntilNobodyMayThinkItFreeForHavingAskedEarlier() {
        free();
        PlannedNumbers earlier = stored.forOrder();
        PlannedNumbers faster = stored.forOrder();
        assertThat(faster.lowestFree(POOL, "", Set.of())).contains(1L);
        faster.close();
        assertThat(earlier.lowestFree(POOL, "", Set.of())).contains(4L);
        earlier.close();
        try (PlannedNumbers later = stored.forOrder()) {
            assertThat(later.lowestFree(POOL, "", Set.of())).contains(1L);
        }
    }

    @Test
    void anExhaustedPoolHasNoFreeNumber() {
        when(services.free(anyString(), anyString(), anyLong(), anyLong(), anyLong(), anyInt())).thenReturn(List.of(2L, 3L));
        assertThat(stored.lowestFree(POOL, "", Set.of())).isEmpty();
    }
}
