package rilvan.server.orders.history;

import static org.assertj.core.api.Assertions.assertThat;

import io.micrometer.core.instrument.simple.SimpleMeterRegistry;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.postgresql.ds.PGSimpleDataSource;
import org.springframework.jdbc.datasource.DataSourceTransactionManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.TestSettings;
import rilvan.server.store.Orders;
import rilvan.server.store.ServiceLines;
import rilvan.server.store.SnapshotRecords;
import rilvan.server.store.TestDatabase;

/** What is dropped of a store with services standing, changed, rolled back and under way. */
class HistoryThinningTest {

    private static List<String> asked(PGSimpleDataSource source, String sql) throws SQLException {
        List<String> rows = new ArrayList<>();
        try (Connection connection = source.getConnection(); Statement statement = connection.createStatement(); ResultSet found = statement.executeQuery(sql)) {
            while (found.next()) {
                rows.add(found.getString(1));
            }
        }
        return rows;
    }

    private static void changed(PGSimpleDataSource source, String sql) throws SQLException {
        try (Connection connection = source.getConnection(); Statement statement = connection.createStatement()) {
            statement.execute(sql);
        }
    }

    @Test
    void theLastWordOnWhatStandsIsNeverDropped() throws Exception {
        PGSimpleDataSource source = TestDatabase.stored(Path.of("src/test/resources/stores/V26.sql.gz"));
        TestDatabase.migrate(source);
        Orders orders = TestDatabase.mapper(source, Orders.class);
        HistoryThinning thinning = new HistoryThinning(orders, TestDatabase.mapper(source, SnapshotRecords.class), TestDatabase.mapper(source, ServiceLines.class), new TransactionTemplate(new DataSourceTransactionManager(source)), TestSettings.with(Path.of("models")), new SimpleMeterRegistry());
        String withLines = "select distinct order_id::text from order_parts order by 1";
        List<String> before = asked(source, withLines);
        thinning.thin();
        assertThat(asked(source, withLines)).as("all of them have ended lately").isEqualTo(before);
        // Of what a device held, only what it still held in the time that is kept stays.
        changed(source, "insert into configurations values ('gone', 'long', 'long ago'), ('gone', 'then', 'then')");
        changed(source, "insert into snapshots (device, at, digest) values ('gone', now() - interval '9000 days', 'long'), ('gone', now() - interval '8000 days', 'then'), ('gone', now() - interval '1 hour', 'then')");
        thinning.thin();
        assertThat(asked(source, "select digest || ' ' || (at > now() - interval '1 day') from snapshots where device = 'gone' order by at")).containsExactly("then false", "then true");
        assertThat(asked(source, "select digest from configurations where device = 'gone'")).containsExactly("then");
        // A long past.
        changed(source, "update orders set ended_at = now() - interval '4 years' where ended_at is not null");
        thinning.thin();
        List<String> last = asked(source, "select distinct max(h.order_id)::text from service_history h join services s on s.name = h.service group by h.service");
        List<String> underWay = asked(source, "select id::text from orders where ended_at is null");
        List<String> dropped = asked(source, "select id::text from orders where thinned_at is not null");
        assertThat(dropped).isNotEmpty().doesNotContainAnyElementsOf(last).doesNotContainAnyElementsOf(underWay);
        assertThat(asked(source, withLines)).isSubsetOf(before).containsAll(before.stream().filter(each -> last.contains(each) || underWay.contains(each)).toList()).doesNotContainAnyElementsOf(dropped);
        assertThat(asked(source, "select distinct order_id::text from order_events")).doesNotContainAnyElementsOf(dropped);
        assertThat(asked(source, "select distinct order_id::text from order_checks")).doesNotContainAnyElementsOf(dropped);
        // What was ordered, by whom and how it ended stays.
        assertThat(asked(source, "select id::text from orders where thinned_at is not null and who <> '' and document <> '' and state in ('DONE', 'ROLLED_BACK')")).containsExactlyInAnyOrderElementsOf(dropped);
        List<String> after = asked(source, withLines);
        thinning.thin();
        assertThat(asked(source, withLines)).isEqualTo(after);
    }
}
