package rilvan.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.postgresql.ds.PGSimpleDataSource;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.model.ServiceModel;
import rilvan.core.plan.OrderDocument;
import rilvan.core.transaction.Action;
import rilvan.core.transaction.Phase;
import rilvan.core.transaction.State;
import rilvan.server.orders.history.LedgerChange;
import rilvan.server.orders.history.PlanRecord;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.json.JsonMapper;

/** A store that an earlier version left behind, migrated: nothing is lost, and everything in it is read by today's code. */
class MigrationTest {

    private static final TypeReference<PlanRecord> PLAN = new TypeReference<>() {};
    private static final TypeReference<LedgerChange> LEDGER = new TypeReference<>() {};
    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};
    private static final List<String> TABLES = List.of("services", "service_history", "orders", "order_parts", "order_events", "order_checks", "order_left_out",
            "ledger", "allocations", "devices", "holds", "network", "users", "credentials");

    private static List<String> column(PGSimpleDataSource source, String query) throws SQLException {
        List<String> values = new ArrayList<>();
        try (Connection connection = source.getConnection(); ResultSet rows = connection.createStatement().executeQuery(query)) {
            while (rows.next()) {
                values.add(rows.getString(1));
            }
        }
        return values;
    }

    private static PGSimpleDataSource stored(String version) throws Exception {
        return TestDatabase.stored(Path.of("src/test/resources/stores/" + version + ".sql.gz"));
    }

    private static List<String> counts(PGSimpleDataSource source) throws SQLException {
        List<String> counts = new ArrayList<>();
        for (String table : TABLES) {
            counts.add(table + " " + column(source, "select count(*) from " + table).get(0));
        }
        return counts;
    }

    private static List<String> names(Enum<?>[] values) {
        return Arrays.stream(values).map(Enum::name).toList();
    }

    @ParameterizedTest
    @ValueSource(strings = {"V11", "V15", "V18", "V19", "V20", "V21", "V22", "V24", "V25", "V26", "V28", "V31", "V32", "V34", "V36", "V39", "V45"})
    void aStoredDatabaseKeepsEverythingAndSpeaksTodaysWords(String version) throws Exception {
        PGSimpleDataSource source = stored(version);
        List<String> before = counts(source);
        TestDatabase.migrate(source);
        assertThat(counts(source)).isEqualTo(before);

        assertThat(column(source, "select distinct state from orders")).isSubsetOf(names(State.values())).contains("DONE", "ROLLED_BACK", "PREPARED");
        List<String> phases = new ArrayList<>(names(Phase.values()));
        phases.addAll(List.of("RECORD", "BASELINE"));
        assertThat(column(source, "select distinct phase from order_events")).isSubsetOf(phases);
        List<String> results = new ArrayList<>(names(Action.Outcome.values()));
        results.addAll(names(State.values()));
        assertThat(column(source, "select distinct result from order_events")).isSubsetOf(results);
        assertThat(column(source, "select distinct kind from devices where kind is not null"))
                .containsExactlyInAnyOrder("CONFIRMED_COMMIT", "RUNNING_ONLY", "COMMAND_LINE");
        // A digest that stood for a secret is that secret to devices: it is kept, sealed.
        assertThat(column(source, "select parameters_json || devices.configuration || document from services, devices, orders where strpos(parameters_json || devices.configuration || document, '$5$') > 0"))
                .isEmpty();
        assertThat(column(source, "select document from orders")).allSatisfy(document -> OrderDocument.read(Document.read(document)));
        // An order under way goes on by its stored plan.
        assertThat(column(source, "select plan_json from orders where plan_json is not null and plan_json <> ''")).isNotEmpty()
                .allSatisfy(plan -> assertThat(new Json().read(plan, PLAN)).isNotNull());
        assertThat(column(source, "select ledger_json from order_parts p join orders o on o.id = p.order_id where o.ended_at is null and p.changes_json <> '[]'")).isNotEmpty()
                .allSatisfy(change -> assertThat(new Json().read(change, LEDGER).put()).isNotEmpty());
    }

    /** A word of documents that was another one until V12, in an order that waits. */
    @Test
    void anOrderThatIsAtomicByServiceStaysSo() throws Exception {
        PGSimpleDataSource source = stored("V11");
        TestDatabase.migrate(source);
        assertThat(column(source, "select state from orders")).contains("WAITING");
        // A digest that stood for a secret is that secret to devices: it is kept, sealed.
        assertThat(column(source, "select parameters_json || devices.configuration || document from services, devices, orders where strpos(parameters_json || devices.configuration || document, '$5$') > 0"))
                .isEmpty();
        assertThat(column(source, "select document from orders")).anyMatch(document -> OrderDocument.read(Document.read(document)).byService());
    }

    /** What was stored is what the models of today would store: every field is known, none is missing. */
    @ParameterizedTest
    @ValueSource(strings = {"V11", "V15", "V18", "V19", "V20", "V21", "V22", "V24", "V25", "V26", "V28", "V31", "V32", "V34", "V36", "V39", "V45"})
    void theParametersAndNumbersOfStoredServicesAreTheirModels(String version) throws Exception {
        PGSimpleDataSource source = stored(version);
        TestDatabase.migrate(source);
        Catalog catalog = Catalog.read(Path.of("../models"));
        List<String> models = column(source, "select model from services order by name");
        List<String> parameters = column(source, "select parameters_json from services order by name");
        assertThat(models).contains("l3vpn", "l2vpn", "tenant");
        for (int i = 0; i < models.size(); i++) {
            ServiceModel model = catalog.models().get(models.get(i));
            assertThat(everyField(JsonMapper.builder().build().readValue(parameters.get(i), FIELDS))).as(models.get(i))
                    .isSubsetOf(everyProperty(model.parameters().schema()));
        }
        for (String allocation : column(source, "select distinct s.model || ' ' || split_part(a.key, '/', 1) from allocations a join services s on s.name = a.service")) {
            String[] words = allocation.split(" ");
            assertThat(catalog.models().get(words[0]).pools().keySet()).as(allocation).contains(words[1]);
        }
        assertThat(column(source, "select plan_json from orders")).noneMatch(plan -> plan.contains("\"promise/"));
        assertThat(String.join("\n", parameters)).contains("\"tcp_reachable\"", "\"tcp_blocked\"", "\"multihomed_with\"", "\"isolated\"");
    }

    private static List<String> everyField(Object value) {
        List<String> fields = new ArrayList<>();
        if (value instanceof Map<?, ?> group) {
            group.forEach((name, below) -> {
                fields.add(name.toString());
                fields.addAll(everyField(below));
            });
        } else if (value instanceof List<?> items) {
            items.forEach(item -> fields.addAll(everyField(item)));
        }
        return fields;
    }

    private static List<String> everyProperty(Object schema) {
        List<String> names = new ArrayList<>();
        if (schema instanceof Map<?, ?> node) {
            if (node.get("properties") instanceof Map<?, ?> properties) {
                properties.keySet().forEach(name -> names.add(name.toString()));
            }
            node.values().forEach(below -> names.addAll(everyProperty(below)));
        }
        return names;
    }
}
