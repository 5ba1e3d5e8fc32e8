package rilvan.server.store;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.RecordComponent;
import java.sql.SQLException;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.mapping.Environment;
import org.apache.ibatis.session.Configuration;
import org.apache.ibatis.session.SqlSession;
import org.apache.ibatis.session.SqlSessionFactory;
import org.apache.ibatis.session.SqlSessionFactoryBuilder;
import org.apache.ibatis.transaction.jdbc.JdbcTransactionFactory;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import org.springframework.core.io.Resource;
import org.springframework.core.io.support.PathMatchingResourcePatternResolver;
import rilvan.core.ledger.Owner;
import rilvan.core.pool.Allocation;
import rilvan.core.transaction.State;
import rilvan.server.store.Services.ServiceOrder;
import rilvan.server.store.Services.ServiceRow;
import rilvan.server.store.Services.ServiceState;
import rilvan.server.store.Services.Wanted;
import tools.jackson.core.type.TypeReference;

/** Every statement of every mapper is understood by a real PostgreSQL of today's schema, and rows come back as they were put. */
class MappersTest {

    private static final List<Class<?>> MAPPERS = mappers();
    /** Constraint violations (SQLSTATE class 23): the statement is sound, its made-up values are not. */
    private static final String CONSTRAINT = "23";
    /** Values of a wrong form (class 22), likewise. */
    private static final String DATA = "22";

    private static SqlSessionFactory sessions;

    /** All that there are. */
    private static List<Class<?>> mappers() {
        try {
            String store = MappersTest.class.getPackageName();
            List<Class<?>> mappers = new ArrayList<>();
            for (Resource file : new PathMatchingResourcePatternResolver().getResources("classpath*:" + store.replace('.', '/') + "/*.class")) {
                Class<?> type = Class.forName(store + "." + file.getFilename().replace(".class", ""));
                if (type.isAnnotationPresent(Mapper.class)) {
                    mappers.add(type);
                }
            }
            return mappers;
        } catch (IOException | ClassNotFoundException e) {
            throw new IllegalStateException(e);
        }
    }

    @BeforeAll
    static void open() throws Exception {
        Configuration configuration = new Configuration(new Environment("test", new JdbcTransactionFactory(), TestDatabase.migrated()));
        configuration.setMapUnderscoreToCamelCase(true);
        MAPPERS.forEach(configuration::addMapper);
        sessions = new SqlSessionFactoryBuilder().build(configuration);
    }

    static Stream<Method> statements() {
        return MAPPERS.stream().flatMap(mapper -> Arrays.stream(mapper.getDeclaredMethods())).filter(method -> !method.isDefault() && !method.isSynthetic());
    }

    @ParameterizedTest
    @MethodSource("statements")
    void everyStatementIsUnderstood(Method statement) throws Exception {
        try (SqlSession session = sessions.openSession(false)) {
            Object mapper = session.getMapper(statement.getDeclaringClass());
            statement.invoke(mapper, Arrays.stream(statement.getParameterTypes()).map(MappersTest::any).toArray());
        } catch (InvocationTargetException e) {
            for (Throwable cause = e; cause != null; cause = cause.getCause()) {
                if (cause instanceof SQLException sql && List.of(CONSTRAINT, DATA).contains(sql.getSQLState().substring(0, 2))) {
                    return;
                }
            }
            throw e;
        }
    }

    /** A made-up value of a type. */
    private static Object any(Class<?> type) {
        if (type == long.class || type == Long.class) {
            return 1L;
        } else if (type == int.class || type == Integer.class) {
            return 1;
        } else if (type == boolean.class || type == Boolean.class) {
            return false;
        } else if (type == byte[].class) {
            return new byte[] {1};
        } else if (type == OffsetDateTime.class) {
            return OffsetDateTime.now();
        } else if (Collection.class.isAssignableFrom(type)) {
            return type == Set.class ? Set.of("x") : List.of("x");
        } else if (type.isEnum()) {
            return type.getEnumConstants()[0];
        } else if (type.isRecord()) {
            try {
                RecordComponent[] components = type.getRecordComponents();
                return type.getDeclaredConstructor(Arrays.stream(components).map(RecordComponent::getType).toArray(Class<?>[]::new))
                        .newInstance(Arrays.stream(components).map(each -> any(each.getType())).toArray());
            } catch (ReflectiveOperationException e) {
                throw new IllegalStateException(e);
            }
        }
        return "x";
    }

    @Test
    void valuesAreReadBackAsWritten() {
        try (SqlSession session = sessions.openSession(false)) {
            Json json = new Json();
            Map<String, Object> parameters = new TreeMap<>(Map.of("sites", List.of(Map.of("name", "haven", "rate", 5L, "text", "a \"quoted\" \\ é line\n")), "on", true));
            Services services = session.getMapper(Services.class);
            session.getMapper(TenantRecords.class).put("Tidewater Clinics", "", "[]", "-");
            services.put(new ServiceRow("clinics", "Tidewater Clinics", "l3vpn", 1, json.write(parameters), "{\"haven-pe1\":\"\"}", 0, "[]", null));
            ServiceRow row = services.service("clinics").orElseThrow();
            assertThat(json.read(row.parametersJson(), new TypeReference<Map<String, Object>>() {})).isEqualTo(parameters);
            services.putFootprint("clinics", List.of("haven-pe1"));
            assertThat(services.footprints(Set.of("haven-pe1"))).containsExactly(new Services.Footprint("haven-pe1", "clinics"));
            assertThat(services.on(Set.of("haven-pe1", "x"))).containsExactly("clinics");
            Set<Owner> owners = Set.of(new Owner("clinics", "l3vpn 1", "vrf", "expand/0", "quern/clauses/vrf.xml"));
            assertThat(json.read(json.write(owners), new TypeReference<Set<Owner>>() {})).isEqualTo(owners);
        }
    }

    @Test
    void servicesAreFoundByAPartOfTheirNameOrTenantInPages() {
        try (SqlSession session = sessions.openSession(false)) {
            Services services = session.getMapper(Services.class);
            List.of("Alphabet Foods", "Kelp & Co").forEach(tenant -> session.getMapper(TenantRecords.class).put(tenant, "", "[]", "-"));
            for (String name : List.of("alpha", "beta", "gamma", "delta_100%")) {
                services.put(new ServiceRow(name, name.equals("beta") ? "Alphabet Foods" : "Kelp & Co", name.equals("alpha") ? "vpls" : "l3vpn", 1, "{}", "{}", 0, "[]", null));
            }
            services.putFootprint("beta", List.of("skarn-pe1", "haven-pe1"));
            assertThat(names(services.wanted(new Wanted(Wanted.containing("ALPHA"), "", null, null, null, null, null, ServiceOrder.NAME, null), 5))).containsExactly("alpha", "beta");
            assertThat(names(services.wanted(new Wanted(null, "alpha", null, null, null, null, null, ServiceOrder.NAME, null), 2))).containsExactly("beta", "delta_100%");
            assertThat(names(services.wanted(new Wanted(Wanted.containing("a_1"), "", null, null, null, null, null, ServiceOrder.NAME, null), 5))).containsExactly("delta_100%");
            assertThat(names(services.wanted(new Wanted(Wanted.containing("0%"), "", null, null, null, null, null, ServiceOrder.NAME, null), 5))).containsExactly("delta_100%");
            assertThat(names(services.wanted(new Wanted(Wanted.containing("\\"), "", null, null, null, null, null, ServiceOrder.NAME, null), 5))).isEmpty();
            assertThat(names(services.wanted(new Wanted(null, "", null, null, "haven-pe1", null, null, ServiceOrder.NAME, null), 5))).containsExactly("beta");
            assertThat(names(services.wanted(new Wanted(null, "", "nobody", null, null, null, null, ServiceOrder.NAME, null), 5))).isEmpty();
            assertThat(names(services.wanted(new Wanted(null, "", null, "nothing", null, null, null, ServiceOrder.NAME, null), 5))).isEmpty();
            services.put(new ServiceRow("gamma", "Kelp & Co", "l3vpn", 1, "{\"sites\":[{\"name\":\"quay\",\"device\":\"haven-pe1\",\"port\":\"access-1\",\"suspended\":true}]}", "{}", 0, "[]", null));
            services.putFootprint("gamma", List.of("haven-pe1"));
            services.put(new ServiceRow("alpha", "Kelp & Co", "vpls", 1, "{\"suspended\":true}", "{}", 0, "[]", null));
            session.getMapper(ServiceHealth.class).checked("beta", "no route", "haven-pe1");
            for (ServiceState state : ServiceState.values()) {
                assertThat(names(services.wanted(new Wanted(null, "", null, null, null, null, state, ServiceOrder.NAME, null), 5))).as(state.name()).containsExactlyElementsOf(switch (state) {
                    case SUSPENDED -> List.of("alpha", "gamma");
                    case FAILING, OUT_OF_DATE -> List.of("beta");
                    case DRIFTED, ENDING -> List.of();
                });
            }
            assertThat(names(services.wanted(new Wanted(null, "", null, null, "haven-pe1", "access-1", null, ServiceOrder.NAME, null), 5))).containsExactly("gamma");
            for (ServiceOrder order : ServiceOrder.values()) {
                List<Services.ServiceHead> all = services.wanted(new Wanted(null, "", null, null, null, null, null, order, null), 9);
                assertThat(names(all)).as(order.name()).containsExactlyElementsOf(switch (order) {
                    case NAME -> List.of("alpha", "beta", "delta_100%", "gamma");
                    case TENANT -> List.of("beta", "alpha", "delta_100%", "gamma");
                    case MODEL -> List.of("beta", "delta_100%", "gamma", "alpha");
                });
                // Beyond each of them just the others follow.
                for (int i = 0; i < all.size(); i++) {
                    assertThat(services.wanted(new Wanted(null, order.place(all.get(i)), null, null, null, null, null, order, null), 9)).isEqualTo(all.subList(i + 1, all.size()));
                }
            }
            assertThat(new Json().read(services.wanted(new Wanted(Wanted.containing("beta"), "", null, null, null, null, null, ServiceOrder.NAME, null), 1).get(0).devicesJson(), new TypeReference<List<String>>() {})).containsExactly("haven-pe1", "skarn-pe1");
        }
    }

    private static List<String> names(List<Services.ServiceHead> heads) {
        return heads.stream().map(Services.ServiceHead::name).toList();
    }

    private static Orders.NewOrder placed(String token, String key) {
        return new Orders.NewOrder("engineer", "-", "{}", "WAITING", token, key, "digest", null, false, false, null, null, false, false, "[]", "[]", 1, "[]", false);
    }

    @Test
    void aNumberIsTakenOnceAndAnotherOrderIsSeenAhead() {
        try (SqlSession session = sessions.openSession(false)) {
            Services services = session.getMapper(Services.class);
            assertThat(services.take(List.of(new Allocation("vni", "", "a", "key", 7)))).isTrue();
            assertThat(services.take(List.of(new Allocation("vni", "", "b", "key", 7), new Allocation("vni", "", "b", "other", 8)))).isFalse();
            Orders orders = session.getMapper(Orders.class);
            long first = orders.add(placed("t1", "key"));
            long second = orders.add(placed("t2", null));
            orders.want(first, List.of(new Orders.Claim("device", "haven-pe1")));
            orders.want(second, List.of(new Orders.Claim("device", "haven-pe1")));
            assertThat(orders.ahead(second)).containsExactly(first);
            assertThat(orders.ahead(first)).isEmpty();
            assertThat(orders.byIdempotencyKey("engineer", "key")).contains(new Orders.Keyed(first, "digest"));
            orders.alive("us", 60_000);
            assertThat(orders.open(first, "guarantee", "{}", "[]", "us", 2)).isEqualTo(1);
            assertThat(orders.took(2, 5)).isEmpty();
            Orders.OrderRow row = orders.order(first).orElseThrow();
            assertThat(row.shownState()).isEqualTo(State.PLANNED);
            orders.rollingBack(first, row.epoch(), true);
            assertThat(orders.order(first).orElseThrow().shownState()).isEqualTo(State.ROLLING_BACK);
            assertThat(orders.countWaiting()).isEqualTo(1);
            assertThat(orders.countRunning()).isEqualTo(1);
        }
    }
}
