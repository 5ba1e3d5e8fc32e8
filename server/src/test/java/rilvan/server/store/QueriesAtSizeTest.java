package rilvan.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.parallel.Execution;
import org.junit.jupiter.api.parallel.ExecutionMode;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import org.postgresql.ds.PGSimpleDataSource;
import rilvan.server.store.Services.ServiceOrder;
import rilvan.server.store.Services.ServiceState;

/** With 10,000 services, 20,000 orders and 1,000 devices in the store the main queries read by index: none of them reads one of the large tables from its beginning to its end. */
@Execution(ExecutionMode.SAME_THREAD)
class QueriesAtSizeTest {

    private static final List<String> LARGE = List.of("services", "orders", "order_scope", "service_history", "service_devices", "service_lines", "allocations", "snapshots", "ledger", "order_events", "events", "service_health", "draft_entries");
    private static final OffsetDateTime LATELY = OffsetDateTime.now().minusHours(1);

    private static PGSimpleDataSource source;
    private static Services services;
    private static Orders orders;
    private static Map<String, Runnable> queries;

    @BeforeAll
    static void fill() throws Exception {
        source = TestDatabase.migrated();
        services = TestDatabase.mapper(source, Services.class);
        orders = TestDatabase.mapper(source, Orders.class);
        sql("insert into tenants (name, created_by) select 'tenant-' || n, '-' from generate_series(0, 99) n on conflict do nothing",
                "insert into orders (who, reason, document, state, token, guarantee, plan_json, created_at, ended_at) select 'person-' || n % 20, 'why', '{}', case when n > 19990 then 'WAITING' else 'DONE' end, 't' || n, '', '{}', "
                        + "now() - (20000 - n) * interval '10 minutes', case when n <= 19990 then now() - (20000 - n) * interval '10 minutes' end from generate_series(1, 20000) n",
                "insert into services (name, tenant, model, model_version, parameters_json, devices_json) select 's-' || n, 'tenant-' || n % 100, case n % 4 when 0 then 'l2vpn' else 'l3vpn' end, 1, "
                        + "case when n % 500 = 0 then '{\"suspended\":true}' else '{\"sites\":[{\"name\":\"a\",\"device\":\"d-' || n % 1000 || '\",\"port\":\"p-1\"}]}' end, '{}' from generate_series(1, 10000) n",
                "insert into service_devices (device, service) select 'd-' || (n + k) % 1000, 's-' || n from generate_series(1, 10000) n, generate_series(0, 1) k",
                "insert into service_history (service, order_id, kind, parameters_json, at, tenant, model, model_version) select 's-' || n % 10000 + 1, n, 'CHANGE', '{}', now() - (20000 - n) * interval '10 minutes', 'tenant-1', 'l3vpn', 1 from generate_series(1, 20000) n",
                "insert into service_lines (service, device, order_id, lines) select 's-' || n % 10000 + 1, 'd-' || n % 1000, n, 'x' from generate_series(1, 20000) n",
                "insert into order_scope (order_id, kind, name) select n, 'service', 's-' || n % 10000 + 1 from generate_series(1, 20000) n union all select n, 'tenant', 'tenant-' || n % 100 from generate_series(1, 20000) n "
                        + "union all select n, 'device', 'd-' || n % 1000 from generate_series(1, 20000) n",
                "insert into allocations (pool, within, number, service, key) select 'access-tag', 'd-' || n % 1000 || ' p-1', n, 's-' || n % 10000 + 1, 'tag/' || n from generate_series(1, 40000) n",
                "insert into service_health (service, checked_at, failures, out_of_date) select 's-' || n, now() - n * interval '1 second', case when n % 1000 = 0 then 'no route' else '' end, '' from generate_series(1, 10000) n "
                        + "on conflict (service) do update set failures = excluded.failures, checked_at = excluded.checked_at",
                "insert into configurations (device, digest, configuration) select 'd-' || n, 'x', 'x' from generate_series(0, 999) n",
                "insert into snapshots (device, at, digest) select 'd-' || n % 1000, now() - n * interval '1 minute', 'x' from generate_series(1, 20000) n",
                "insert into ledger (device, path, value, owners_json) select 'd-' || n % 1000, '/p/' || n, '', '[]' from generate_series(1, 40000) n",
                "insert into order_events (order_id, seq, at, device, phase, result, text) select n % 20000 + 1, n / 20000, now(), 'd', 'CHANGE', 'OK', '' from generate_series(0, 39999) n",
                "insert into drafts (name, created_by, reason) select 'draft-' || n, 'anna', '-' from generate_series(1, 50) n",
                "insert into draft_entries (draft, service, stands_as, kind, tenant, model, wanted_json, after_json, started_json, who) select 'draft-' || n % 50 + 1, 's-' || n, 's-' || n, 'CHANGE', 'tenant-1', 'l3vpn', '{}', '{}', '{}', 'anna' "
                        + "from generate_series(1, 5000) n",
                "analyze");
        queries = queries();
    }

    @AfterAll
    static void end() {
        queries = null;
    }

    private static void sql(String... statements) throws SQLException {
        try (Connection connection = source.getConnection(); Statement statement = connection.createStatement()) {
            for (String each : statements) {
                statement.execute(each);
            }
        }
    }

    private static Services.Wanted wanted(String after, String tenant, String model, String device, String port, ServiceState state, ServiceOrder order) {
        return new Services.Wanted(null, after, tenant, model, device, port, state, order, null);
    }

    private static Orders.Wanted orders(Long beyond, String state, String by, String service, String tenant, String device, OffsetDateTime since) {
        return new Orders.Wanted(Long.MAX_VALUE, beyond, state, by, service, tenant, device, since, null, null);
    }

    private static Map<String, Runnable> queries() {
        Inventory inventory = TestDatabase.mapper(source, Inventory.class);
        ServiceLines lines = TestDatabase.mapper(source, ServiceLines.class);
        SnapshotRecords snapshots = TestDatabase.mapper(source, SnapshotRecords.class);
        DraftRecords drafts = TestDatabase.mapper(source, DraftRecords.class);
        ServiceHealth health = TestDatabase.mapper(source, ServiceHealth.class);
        Map<String, Runnable> all = new LinkedHashMap<>();
        all.put("services, the first page", () -> services.wanted(wanted("", null, null, null, null, null, ServiceOrder.NAME), 51));
        all.put("services, a later page", () -> services.wanted(wanted("s-5", null, null, null, null, null, ServiceOrder.NAME), 51));
        all.put("services by tenant", () -> services.wanted(wanted("", null, null, null, null, null, ServiceOrder.TENANT), 51));
        all.put("services by tenant, a later page", () -> services.wanted(wanted("tenant-5\ts-5", null, null, null, null, null, ServiceOrder.TENANT), 51));
        all.put("services by model", () -> services.wanted(wanted("", null, null, null, null, null, ServiceOrder.MODEL), 51));
        all.put("services of a tenant", () -> services.wanted(wanted("", "tenant-7", null, null, null, null, ServiceOrder.NAME), 51));
        all.put("services on a device", () -> services.wanted(wanted("", null, null, "d-7", null, null, ServiceOrder.NAME), 51));
        all.put("services at a port", () -> services.wanted(wanted("", null, null, "d-7", "p-1", null, ServiceOrder.NAME), 51));
        all.put("services that are suspended", () -> services.wanted(wanted("", null, null, null, null, ServiceState.SUSPENDED, ServiceOrder.NAME), 51));
        all.put("services that fail", () -> services.wanted(wanted("", null, null, null, null, ServiceState.FAILING, ServiceOrder.NAME), 51));
        all.put("services that end", () -> services.wanted(wanted("", null, null, null, null, ServiceState.ENDING, ServiceOrder.NAME), 51));
        all.put("one service", () -> services.service("s-7"));
        all.put("a page of whole services", () -> services.behind("s-5", 500));
        all.put("a service's history", () -> services.history("s-7", null));
        all.put("a version", () -> services.version("s-7", 6));
        all.put("the version before", () -> services.versionBefore("s-7", 10006));
        all.put("what an order made", () -> services.versionsOf(77));
        all.put("orders since", () -> services.ordersSince("s-7", 6));
        all.put("the last orders of some", () -> services.lastOrders("[\"s-7\",\"s-8\"]"));
        all.put("orders that made something lately", () -> services.madeSince(LATELY));
        all.put("numbers of a service", () -> services.heldBy("s-7"));
        all.put("who holds a number", () -> services.holder("access-tag", "d-7 p-1", 7));
        all.put("numbers in a place", () -> services.takenWithin("access-tag", "d-7 p-1"));
        all.put("free numbers", () -> services.free("access-tag", "d-7 p-1", 2, 4000, 1, 20));
        all.put("footprints", () -> services.footprints(List.of("d-7", "d-8")));
        all.put("what a service says", () -> lines.after("s-7", Long.MAX_VALUE));
        all.put("orders, the latest", () -> orders.wanted(orders(null, null, null, null, null, null, null), 51));
        all.put("orders, the earliest", () -> orders.wanted(orders(0L, null, null, null, null, null, null), 51));
        all.put("orders that wait", () -> orders.wanted(orders(null, "WAITING", null, null, null, null, null), 51));
        all.put("orders of a person", () -> orders.wanted(orders(null, null, "person-7", null, null, null, null), 51));
        all.put("orders of a service", () -> orders.wanted(orders(null, null, null, "s-7", null, null, null), 51));
        all.put("orders of a tenant", () -> orders.wanted(orders(null, null, null, null, "tenant-7", null, null), 51));
        all.put("orders of a device", () -> orders.wanted(orders(null, null, null, null, null, "d-7", null), 51));
        all.put("orders lately", () -> orders.wanted(orders(null, null, null, null, null, null, LATELY), 51));
        all.put("one order", () -> orders.order(777));
        all.put("a device's ledger", () -> inventory.ledger("d-7"));
        all.put("a device's snapshots", () -> snapshots.before("d-7", OffsetDateTime.now(), 51));
        all.put("what a device held", () -> snapshots.at("d-7", LATELY));
        all.put("a draft's entries", () -> drafts.entries("draft-7"));
        all.put("the next service to look at", () -> health.due(3600));
        all.put("services that fail, of all", () -> health.failing(null));
        return all;
    }

    private static Stream<String> names() {
        return queries.keySet().stream();
    }

    @ParameterizedTest
    @MethodSource("names")
    void readByIndex(String query) throws Exception {
        Map<String, Long> before = scans();
        queries.get(query).run();
        Map<String, Long> after = scans();
        List<String> whole = new ArrayList<>();
        LARGE.stream().filter(table -> !after.get(table).equals(before.get(table))).forEach(whole::add);
        assertThat(whole).as("tables that were read whole").isEmpty();
    }

    /** How often each table was read from its beginning to its end. */
    private static Map<String, Long> scans() throws SQLException {
        // What a session has counted is seen when it ends, or when it is told to.
        Map<String, Long> scans = new TreeMap<>();
        try (Connection connection = source.getConnection(); Statement statement = connection.createStatement();
                ResultSet rows = statement.executeQuery("select relname, seq_scan from pg_stat_user_tables")) {
            while (rows.next()) {
                scans.put(rows.getString(1), rows.getLong(2));
            }
        }
        return scans;
    }
}
