package rilvan.server.events;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.stream.IntStream;
import java.util.stream.LongStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.postgresql.ds.PGSimpleDataSource;
import org.springframework.jdbc.datasource.DataSourceTransactionManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.TestSettings;
import rilvan.server.store.Acts;
import rilvan.server.store.Events;
import rilvan.server.store.Events.Happened;
import rilvan.server.store.Events.Wanted;
import rilvan.server.store.Json;
import rilvan.server.store.TestDatabase;

/** Numbers of events on a real PostgreSQL: whoever has read up to one never misses what is committed late, whoever gives numbers. */
@Timeout(60)
class EventNumbersTest {

    private static final int WRITERS = 6;
    private static final int EACH = 40;
    private static final int INSTANCES = 3;

    private PGSimpleDataSource source;
    private Events events;
    private TransactionTemplate transactions;

    @BeforeEach
    void open() throws Exception {
        source = TestDatabase.migrated();
        events = TestDatabase.mapper(source, Events.class);
        transactions = new TransactionTemplate(new DataSourceTransactionManager(source));
    }

    private EventStream instance() {
        return new EventStream(events, TestDatabase.mapper(source, Acts.class), new Json(), transactions, TestSettings.of(Path.of("rilvan.key")));
    }

    /** Some transactions write several events and are committed long after they have begun; some are rolled back. */
    private int write(int writer, Random chance) throws Exception {
        int committed = 0;
        for (int i = 0; i < EACH; i++) {
            try (Connection connection = source.getConnection()) {
                connection.setAutoCommit(false);
                int several = 1 + chance.nextInt(3);
                for (int each = 0; each < several; each++) {
                    try (PreparedStatement insert = connection.prepareStatement("insert into events (kind, service, data) values ('service.changed', ?, '{}')")) {
                        insert.setString(1, writer + "-" + i + "-" + each);
                        insert.execute();
                    }
                    Thread.yield();
                }
                if (chance.nextInt(5) == 0) {
                    connection.rollback();
                } else {
                    connection.commit();
                    committed += several;
                }
            }
        }
        return committed;
    }

    @Test
    void whoeverReadsOnMissesNothingAndHearsNothingTwice() throws Exception {
        long seed = System.nanoTime();
        System.out.println("events with seed " + seed);
        ExecutorService together = Executors.newCachedThreadPool();
        List<Future<Integer>> writers = IntStream.range(0, WRITERS).mapToObj(writer -> together.submit(() -> write(writer, new Random(seed + writer)))).toList();
        List<Future<?>> numbering = new ArrayList<>();
        for (int i = 0; i < INSTANCES; i++) {
            EventStream instance = instance();
            numbering.add(together.submit(() -> {
                while (writers.stream().anyMatch(writer -> !writer.isDone()) || events.hasOpen()) {
                    instance.lookRound();
                }
            }));
        }
        List<Happened> read = new ArrayList<>();
        while (numbering.stream().anyMatch(each -> !each.isDone())) {
            read.addAll(events.after(read.isEmpty() ? 0 : read.get(read.size() - 1).seq(), 7, Wanted.ALL, null));
        }
        for (Future<?> each : numbering) {
            each.get();
        }
        List<Happened> rest;
        do {
            rest = events.after(read.isEmpty() ? 0 : read.get(read.size() - 1).seq(), 7, Wanted.ALL, null);
            read.addAll(rest);
        } while (!rest.isEmpty());
        together.shutdown();
        int written = 0;
        for (Future<Integer> writer : writers) {
            written += writer.get();
        }
        assertThat(read.stream().map(Happened::seq)).containsExactlyElementsOf(LongStream.rangeClosed(1, written).boxed().toList());
        assertThat(read.stream().map(Happened::service)).doesNotHaveDuplicates();
    }

    @Test
    void whatIsDroppedLeavesTheNumbersAsTheyAre() throws Exception {
        try (Connection connection = source.getConnection()) {
            connection.createStatement().execute("insert into events (kind, data, at) select 'tenant.added', '{}', now() - interval '2 days' from generate_series(1, 5)");
        }
        instance().lookRound();
        assertThat(events.first()).isEqualTo(1);
        assertThat(events.drop(86_400, 3)).isEqualTo(3);
        assertThat(events.drop(86_400, 3)).isEqualTo(2);
        assertThat(events.first()).isEqualTo(6);
        try (Connection connection = source.getConnection()) {
            connection.createStatement().execute("insert into events (kind, data) values ('tenant.added', '{}')");
        }
        instance().lookRound();
        assertThat(events.after(0, 10, Wanted.ALL, null)).extracting(Happened::seq).containsExactly(6L);
    }
}
