package rilvan.server.acts;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.spy;
import static org.mockito.Mockito.when;

import io.micrometer.core.instrument.simple.SimpleMeterRegistry;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import org.postgresql.ds.PGSimpleDataSource;
import org.springframework.jdbc.datasource.DataSourceTransactionManager;
import org.springframework.transaction.support.TransactionSynchronizationManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.Settings;
import rilvan.server.TestSettings;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Verification.Verified;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.store.Acts;
import rilvan.server.store.Json;
import rilvan.server.store.TestDatabase;

/** The log of acts on a real PostgreSQL: every act is sealed once, and whatever is changed afterwards by whoever owns the database is named. */
class SealingTest {

    private static final int ACTS = 30;

    @TempDir
    private Path folder;
    private PGSimpleDataSource source;
    private Acts acts;
    private TransactionTemplate transactions;
    private final ClusterMember member = mock(ClusterMember.class);
    /** For each signature that was verified: whether that was in a transaction. */
    private final List<Boolean> verifiedIn = new ArrayList<>();

    /** An instance of the service, as far as the log is concerned. */
    private record Instance(ActLog log, Sealing sealing, Verification verification) {

        private void done(String who, int object) {
            Act act = new Act().about("order", object);
            log.end(log.begin(new Origin(who, "127.0.0.1", 7, "r" + object), "place order", act), Result.DONE, "");
        }

        private List<String> problems() {
            return verification.verify().problems().stream().map(each -> each.seq() + " " + each.message()).toList();
        }
    }

    @BeforeEach
    void open() throws Exception {
        source = TestDatabase.migrated();
        acts = TestDatabase.mapper(source, Acts.class);
        transactions = new TransactionTemplate(new DataSourceTransactionManager(source));
        when(member.id()).thenReturn("one");
        sql("insert into instances (id, alive_until) values ('one', now() + interval '1 hour')");
    }

    private Instance instance(String keyName) throws Exception {
        byte[] key = (keyName + "-of-thirty-two-bytes-and-no-more").substring(0, 32).getBytes();
        Settings settings = TestSettings.of(folder.resolve(keyName), new Settings.LogHeads(Duration.ofMillis(0), folder.resolve("heads.jsonl"), null, null));
        ActLog log = new ActLog(acts, new Json(), member);
        LogKey signs = spy(new LogKey(use -> List.of(key)));
        doAnswer(asked -> {
            verifiedIn.add(TransactionSynchronizationManager.isActualTransactionActive());
            return asked.callRealMethod();
        }).when(signs).isSigned(any(), any());
        SignedHeads heads = new SignedHeads(acts, signs, new Json(), settings);
        return new Instance(log, new Sealing(acts, log, heads, signs, transactions, settings, new SimpleMeterRegistry()), new Verification(acts, heads, signs, transactions.getTransactionManager()));
    }

    private void sql(String text) throws SQLException {
        try (Connection connection = source.getConnection(); Statement statement = connection.createStatement()) {
            statement.execute(text);
        }
    }

    private Instance filled() throws Exception {
        Instance instance = instance("key");
        for (int i = 1; i <= ACTS; i++) {
            instance.done("anna", i);
            if (i % 10 == 0) {
                instance.sealing().seal();
            }
        }
        return instance;
    }

    @Test
    void actsOfManyAtOnceAreEachSealedOnceByWhoeverSeals() throws Exception {
        Instance one = instance("key");
        Instance two = instance("key");
        ExecutorService people = Executors.newFixedThreadPool(6);
        List<Future<Void>> tasks = new ArrayList<>();
        for (int person = 0; person < 4; person++) {
            int first = 1 + person * 50;
            tasks.add(people.submit((Callable<Void>) () -> {
                IntStream.range(first, first + 50).forEach(object -> (object % 2 == 0 ? one : two).done("person", object));
                return null;
            }));
        }
        for (Instance each : List.of(one, two)) {
            tasks.add(people.submit((Callable<Void>) () -> {
                for (int i = 0; i < 40; i++) {
                    each.sealing().seal();
                }
                return null;
            }));
        }
        for (Future<Void> task : tasks) {
            task.get();
        }
        people.shutdown();
        one.sealing().seal();
        Verified verified = two.verification().verify();
        assertThat(verified.problems()).isEmpty();
        assertThat(verified.last()).isEqualTo(200);
        assertThat(verified.open()).isZero();
        assertThat(acts.from(0, 1_000).stream().map(Acts.SealedAct::act).map(act -> act.replaceAll(".*\"order (\\d+)\".*", "$1")).collect(Collectors.toSet())).hasSize(200);
    }

    /** An act whose instance died before it answered is sealed as such; one that is under way is waited for. */
    /** The store ends a transaction that is silent for a lease's time, and a machine with much to do takes that long for a first signature. */
    @Test
    void noTransactionIsOpenWhileSignaturesAreVerified() throws Exception {
        Instance instance = filled();
        acts.close(10, "2026-05-04T10:00:00Z", "none");
        verifiedIn.clear();
        instance.verification().verify();
        assertThat(verifiedIn).hasSizeGreaterThan(3).containsOnly(false);
    }

    @Test
    void whatNobodyEndsIsSealedAsNotKnown() throws Exception {
        Instance instance = instance("key");
        instance.log().begin(new Origin("anna", "127.0.0.1", 7, "r1"), "place order", new Act());
        when(member.id()).thenReturn("dead");
        ActLog.Begun lost = instance.log().begin(new Origin("bert", "127.0.0.1", 8, "r2"), "load network", new Act());
        sql("update acts_open set begun_at = now() - interval '2 minutes'");
        instance.sealing().seal();
        assertThat(acts.from(0, 10)).hasSize(1).first().satisfies(act -> assertThat(act.act()).contains("\"who\":\"bert\"", "\"result\":\"not known\""));
        // It was not dead but slow: what it did is told all the same.
        instance.log().end(lost, Result.DONE, "");
        instance.sealing().seal();
        assertThat(acts.from(1, 10)).hasSize(1).first().satisfies(act -> assertThat(act.act()).contains("\"who\":\"bert\"", "\"result\":\"done\""));
        // An instance that lives may have lost an act, too: the store forgot how it ended.
        when(member.id()).thenReturn("one");
        ActLog.Begun forgotten = instance.log().begin(new Origin("clara", "127.0.0.1", 9, "r3"), "cancel order", new Act());
        instance.log().end(forgotten, Result.DONE, "");
        sql("update acts_open set ended = false, act = replace(act::text, 'done', 'not known')::json, begun_at = now() - interval '2 minutes' where id = " + forgotten.id());
        instance.sealing().seal();
        assertThat(acts.from(2, 10)).hasSize(1).first().satisfies(act -> assertThat(act.act()).contains("\"who\":\"clara\"", "\"result\":\"not known\""));
        assertThat(instance.problems()).isEmpty();
    }

    /** What is done to the log, with all rights over the database, and what is then said of it. */
    static Stream<Arguments> changes() {
        String rechained = """
                do $$ declare each record; last text := (select digest from acts where seq = 4);
                begin
                  for each in select * from acts where seq > 4 order by seq loop
                    last := encode(sha256(convert_to(last || E'\\n' || each.act::text, 'UTF8')), 'hex');
                    update acts set digest = last where seq = each.seq;
                  end loop;
                end $$;""";
        return Stream.of(
                Arguments.of("update acts set act = replace(act::text, 'anna', 'bert')::json where seq = 5", "5 this act, or one before it, is not the one that was sealed"),
                Arguments.of("update acts set act = (act::text || ' ')::json where seq = 7", "7 this act, or one before it"),
                Arguments.of("update acts set digest = repeat('0', 64) where seq = 9", "9 this act, or one before it"),
                Arguments.of("delete from acts where seq = 12", "12 this act is missing"),
                Arguments.of("delete from acts where seq between 12 and 14", "12 the acts from this one to 14 are missing"),
                Arguments.of("delete from acts where seq = 1", "1 this act is missing"),
                Arguments.of("delete from acts where seq > 25", "26 the log ends before this act"),
                Arguments.of("delete from acts", "1 the log ends before this act"),
                Arguments.of("delete from acts where seq > 20; delete from act_heads where seq > 20", "21 the log ends before this act"),
                Arguments.of("update acts set act = replace(act::text, 'anna', 'bert')::json where seq = 5; " + rechained, "10 the head that was signed here"),
                Arguments.of("update acts set act = replace(act::text, 'anna', 'bert')::json where seq = 5; " + rechained + " delete from act_heads", "10 the head that was signed here"),
                Arguments.of("update act_heads set digest = repeat('0', 64) where seq = 10", "10 the signature of the head"),
                Arguments.of("insert into act_segments select 1, 15, digest, 'now', 'none' from acts where seq = 15; delete from acts where seq <= 15", "1 the acts from this one to 15 are gone, and it was not the service"));
    }

    @ParameterizedTest
    @MethodSource("changes")
    void whateverIsChangedIsNamed(String change, String said) throws Exception {
        Instance instance = filled();
        assertThat(instance.problems()).isEmpty();
        sql("set session_replication_role = replica; " + change);
        assertThat(instance.problems()).first().asString().startsWith(said);
    }

    /** Whoever runs the service, rather than owns the tables, cannot change the log at all. */
    @Test
    void theRoleOfTheServiceMayOnlyAdd() throws Exception {
        filled();
        sql("drop role if exists runs_the_service; create role runs_the_service; grant select, insert, update, delete, truncate on all tables in schema public to runs_the_service");
        for (String change : List.of("update acts set digest = ''", "delete from acts", "delete from act_heads", "update act_log set id = gen_random_uuid()", "delete from act_segments", "truncate acts")) {
            assertThatThrownBy(() -> sql("set role runs_the_service; " + change)).as(change).hasMessageContaining("the log of acts is not changed");
        }
        sql("reassign owned by runs_the_service to rilvan; drop owned by runs_the_service; drop role runs_the_service");
    }

    /** An instance that runs remembers the head it has seen, and adds nothing to a chain that was rewritten with the key at hand or put back from a copy. */
    @Test
    void nothingIsAddedToAChainThatWasRewritten() throws Exception {
        Instance instance = filled();
        sql("set session_replication_role = replica; delete from acts where seq > 20; delete from act_heads where seq > 20");
        instance.done("anna", 99);
        instance.sealing().seal();
        assertThat(acts.lastSealed().orElseThrow().seq()).isEqualTo(20);
        Instance startedAgain = instance("key");
        startedAgain.sealing().seal();
        assertThat(acts.lastSealed().orElseThrow().seq()).isEqualTo(21);
        assertThat(startedAgain.problems()).first().asString().startsWith("22 the log ends before this act");
    }

    @Test
    void whatIsTooOldIsClosedAndTheRestIsStillWhole() throws Exception {
        Instance instance = filled();
        sql("set session_replication_role = replica; update acts set act = (replace(act::text, '\"at\":\"20', '\"at\":\"19'))::json where seq <= 10;"
                + "do $$ declare each record; last text := (select encode(sha256(convert_to('rilvan log of acts ' || id, 'UTF8')), 'hex') from act_log);"
                + "begin for each in select * from acts order by seq loop last := encode(sha256(convert_to(last || E'\\n' || each.act::text, 'UTF8')), 'hex');"
                + "update acts set digest = last where seq = each.seq; end loop; end $$; delete from act_heads");
        Files.delete(folder.resolve("heads.jsonl"));
        instance = instance("key");
        instance.sealing().close();
        instance.sealing().seal();
        Verified verified = instance.verification().verify();
        assertThat(verified.problems()).isEmpty();
        assertThat(verified.first()).isEqualTo(11);
        assertThat(verified.last()).isEqualTo(ACTS + 1);
        assertThat(acts.from(ACTS, 10).get(0).act()).contains("close acts", "acts up to 10");
        assertThat(instance("another-key").problems()).first().asString().startsWith("1 the acts from this one to 10 are gone");
    }

    /** So many may wait that no more is done; nothing is lost silently. */
    @Test
    void moreThanTheLogCanTakeIsRefused() throws Exception {
        Instance instance = instance("key");
        sql("insert into acts_open (instance, ended, act) select 'one', true, '{\"at\":\"2026\",\"who\":\"anna\",\"act\":\"x\",\"about\":[]}' from generate_series(1, " + ActLog.MOST_OPEN + ")");
        assertThatThrownBy(() -> instance.done("anna", 1)).isInstanceOf(ActLog.Full.class).hasMessageContaining("wait to be sealed");
        instance.sealing().seal();
        instance.done("anna", 1);
        instance.sealing().seal();
        assertThat(instance.verification().verify()).satisfies(verified -> assertThat(verified.last()).isEqualTo(ActLog.MOST_OPEN + 1L)).satisfies(verified -> assertThat(verified.problems()).isEmpty());
    }

    /** What an act says is bounded, has no control characters, and shows no secret. */
    @Test
    void whatIsKeptIsCleanedAndBounded() throws Exception {
        Instance instance = instance("key");
        Act act = new Act().about("device", "haven\u0000\u001b[31m-pe1\n").before(Map.of("text", "nul \u0000 and $siv$AAAA")).after("x".repeat(100_000));
        instance.log().add(new Origin("an\nna", "127.0.0.1", 0, ""), "leave drift", act, Result.REFUSED, "y".repeat(5_000));
        instance.sealing().seal();
        assertThat(acts.from(0, 10).get(0).act()).hasSizeLessThan(3_000).doesNotContain("\\u0000", "\\u001b", "\\u001B").contains("\"who\":\"an na\"", "\"characters\":100002");
        assertThat(acts.found(new Acts.Search("an na", "leave drift", null, "2026-01-01", null), Long.MAX_VALUE, 10)).hasSize(1);
        assertThat(acts.found(new Acts.Search(null, null, "device no-such", null, null), Long.MAX_VALUE, 10)).isEmpty();
    }
}
