package rilvan.server.orders.intake;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Supplier;
import org.junit.jupiter.api.Test;
import rilvan.core.plan.Planner;
import rilvan.server.orders.intake.PlanningTurns.NobodyWaits;
import rilvan.server.orders.intake.PlanningTurns.Overloaded;

class PlanningTurnsTest {

    private static final Duration LONG = Duration.ofMinutes(5);

    private static final Supplier<Client> STAYS = () -> Client.STAYS;

    private final ExecutorService people = Executors.newCachedThreadPool();

    private static String stays(CountDownLatch here, CountDownLatch until) {
        here.countDown();
        try {
            until.await();
        } catch (InterruptedException e) {
            throw new Planner.Interrupted();
        }
        return "done";
    }

    @Test
    void whoGetsNoTurnInTimeIsTold() throws Exception {
        PlanningTurns turns = new PlanningTurns(1, Duration.ofMillis(20), LONG, STAYS);
        CountDownLatch here = new CountDownLatch(1);
        CountDownLatch until = new CountDownLatch(1);
        Future<String> first = people.submit(() -> turns.take("anna", () -> stays(here, until)));
        here.await();
        assertThatThrownBy(() -> turns.take("bo", () -> "done")).isInstanceOfSatisfying(Overloaded.class, each -> assertThat(each.isByOneAccount()).isFalse());
        until.countDown();
        assertThat(first.get()).isEqualTo("done");
        assertThat(turns.take("bo", () -> "done")).isEqualTo("done");
    }

    @Test
    void anAccountHasItsShareAndOthersGoOn() throws Exception {
        PlanningTurns turns = new PlanningTurns(20, LONG, LONG, STAYS);
        CountDownLatch here = new CountDownLatch(16);
        CountDownLatch until = new CountDownLatch(1);
        List<Future<String>> many = new ArrayList<>();
        for (int i = 0; i < 16; i++) {
            many.add(people.submit(() -> turns.take("anna", () -> stays(here, until))));
        }
        here.await();
        assertThatThrownBy(() -> turns.take("anna", () -> "done")).isInstanceOfSatisfying(Overloaded.class, each -> assertThat(each.isByOneAccount()).isTrue());
        assertThat(turns.take("bo", () -> "done")).isEqualTo("done");
        until.countDown();
        for (Future<String> each : many) {
            assertThat(each.get()).isEqualTo("done");
        }
        assertThat(turns.take("anna", () -> "done")).isEqualTo("done");
    }

    @Test
    void whatTakesTooLongIsEndedAndGivesItsTurnBack() {
        PlanningTurns turns = new PlanningTurns(1, LONG, Duration.ofSeconds(1), STAYS);
        assertThatThrownBy(() -> turns.take("anna", () -> stays(new CountDownLatch(1), new CountDownLatch(1)))).isInstanceOf(Overloaded.class)
                .hasMessageContaining("split it into several orders");
        assertThat(turns.take("anna", () -> "done")).isEqualTo("done");
        assertThat(Thread.interrupted()).isFalse();
    }

    @Test
    void whatNobodyWaitsForIsEndedAndGivesItsTurnBack() throws Exception {
        AtomicBoolean gone = new AtomicBoolean();
        PlanningTurns turns = new PlanningTurns(1, LONG, LONG, () -> gone::get);
        CountDownLatch here = new CountDownLatch(1);
        Future<String> working = people.submit(() -> turns.take("anna", () -> stays(here, new CountDownLatch(1))));
        here.await();
        Future<String> waiting = people.submit(() -> turns.take("bo", () -> stays(new CountDownLatch(1), new CountDownLatch(1))));
        gone.set(true);
        assertThatThrownBy(working::get).hasCauseInstanceOf(NobodyWaits.class);
        assertThatThrownBy(waiting::get).hasCauseInstanceOf(NobodyWaits.class);
        gone.set(false);
        assertThat(turns.take("anna", () -> "done")).isEqualTo("done");
    }
}
