package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;
import rilvan.core.pool.Allocation;

/** Services, their history, and the numbers they hold. */
@Mapper
public interface Services {

    record ServiceRow(String name, String tenant, String model, int modelVersion, String parametersJson, String devicesJson,
            long version, String customersToFollowJson, String componentOf) {}

    record HistoryRow(String service, long orderId, String kind, String parametersJson, OffsetDateTime at, String who,
            String reason) {}

    @Select("select name, tenant, model, model_version, parameters_json, devices_json, version, customers_to_follow_json, component_of from services where name = #{name}")
    Optional<ServiceRow> service(String name);

    /** Of some names, the services that stand under them. */
    @Select("""
            select s.name, tenant, model, model_version, parameters_json, devices_json, version, customers_to_follow_json, component_of
            from services s join json_array_elements_text(#{names}::json) n(name) on n.name = s.name""")
    List<ServiceRow> named(String names);

    @Select("""
            select name, tenant, model, model_version, parameters_json, devices_json, version, customers_to_follow_json, component_of
            from services
            where component_of is null and name > #{after}
            order by name
            limit #{limit}""")
    List<ServiceRow> behind(String after, int limit);

    /** A service as lists show it, without its parameters, which may be long. */
    record ServiceHead(String name, String tenant, String model, int modelVersion, String componentOf, String suspended, String devicesJson) {}

    /** How a service may stand, for whoever looks for those that do. */
    enum ServiceState {
        /** All of it, or a part. */
        SUSPENDED,
        /** Not all of its last checks passed. */
        FAILING,
        /** Today's settings, network or dialects would change it. */
        OUT_OF_DATE,
        /** Something of it is otherwise on a device, and nobody has decided to leave it so. */
        DRIFTED,
        /** It, or a part of it, has an end. */
        ENDING
    }

    /** What lists of services are in the order of, before their names. */
    enum ServiceOrder {
        NAME, TENANT, MODEL;

        /** Where a service stands in a list of this order, as {@link Wanted#after} has it. */
        public String place(ServiceHead head) {
            return switch (this) {
                case NAME -> head.name();
                case TENANT -> head.tenant() + Wanted.BETWEEN + head.name();
                case MODEL -> head.model() + Wanted.BETWEEN + head.name();
            };
        }
    }

    /**
     * Which services are looked for; what is null is not asked for.
     *
     * @param pattern of the name or the tenant, as {@code ilike} takes it
     * @param after only those behind this place; empty at the beginning
     * @param device on which it has a footprint
     * @param port of that device which it is at
     * @param scopes what somebody sees, as the function {@code service_seen} takes it
     */
    record Wanted(String pattern, String after, String tenant, String model, String device, String port, ServiceState state, ServiceOrder order, String scopes) {

        private static final String BETWEEN = "\t";

        /** The name in a place. */
        public String afterName() {
            return after.substring(after.indexOf(BETWEEN) + 1);
        }

        /** What stands before the name in a place. */
        public String afterKey() {
            return after.substring(0, Math.max(0, after.indexOf(BETWEEN)));
        }

        /** The text that a name or a tenant contains, as a pattern. */
        public static String containing(String text) {
            return "%" + text.replaceAll("([\\\\%_])", "\\\\$1") + "%";
        }
    }

    /** The first of them, by name. */
    @Select("""
            <script>select s.name, s.tenant, s.model, s.model_version, s.component_of, s.suspended,
                    (select coalesce(json_agg(d.device order by d.device), '[]') from service_devices d where d.service = s.name)::text as devices_json
            from services s
            <choose>
            <when test="w.order.name() == 'TENANT'">where (s.tenant, s.name) &gt; (#{w.afterKey}, #{w.afterName})</when>
            <when test="w.order.name() == 'MODEL'">where (s.model, s.name) &gt; (#{w.afterKey}, #{w.afterName})</when>
            <otherwise>where s.name &gt; #{w.afterName}</otherwise>
            </choose>
            <if test="w.pattern != null">and (s.name ilike #{w.pattern} or s.tenant ilike #{w.pattern})</if>
            <if test="w.tenant != null">and s.tenant = #{w.tenant}</if>
            <if test="w.model != null">and s.model = #{w.model}</if>
            <if test="w.device != null">and s.name in (select service from service_devices where device = #{w.device})</if>
            <if test="w.port != null">and (jsonb_path_exists(s.parameters_json::jsonb, '$.** ? (@.device == $device &amp;&amp; @.port == $port)', jsonb_build_object('device', #{w.device}::text, 'port', #{w.port}::text))
                or exists (select 1 from allocations a where a.service = s.name and a.within = #{w.device} || ' ' || #{w.port}))</if>
            <if test="w.state != null">
            <choose>
            <when test="w.state.name() == 'SUSPENDED'">and s.suspended &lt;&gt; 'NO'</when>
            <when test="w.state.name() == 'FAILING'">and s.name in (select service from service_health where failures &lt;&gt; '')</when>
            <when test="w.state.name() == 'OUT_OF_DATE'">and s.name in (select service from service_health where out_of_date &lt;&gt; '')</when>
            <when test="w.state.name() == 'DRIFTED'">and s.name in (select unnest(d.services) from drift d where d.left_by is null)</when>
            <otherwise>and s.name in (select service from endings)</otherwise>
            </choose>
            </if>
            <if test="w.scopes != null">and service_seen(s.name, s.tenant, #{w.scopes}::json)</if>
            order by <if test="w.order.name() == 'TENANT'">s.tenant, </if><if test="w.order.name() == 'MODEL'">s.model, </if>s.name
            limit #{limit}</script>""")
    List<ServiceHead> wanted(@Param("w") Wanted wanted, @Param("limit") int limit);

    /** Of some names, those of services that somebody sees. */
    @Select("select distinct s.name from services s join json_array_elements_text(#{names}::json) n(name) on n.name = s.name where service_seen(s.name, s.tenant, #{scopes}::json)")
    Set<String> seenAmong(String names, String scopes);

    /** Of some names, those of services that somebody does not know of. */
    @Select("select s.name from services s join json_array_elements_text(#{names}::json) n(name) on n.name = s.name where not service_known(s.name, s.tenant, #{scopes}::json)")
    Set<String> unknownAmong(String names, String scopes);

    @Select("select name from services order by name")
    List<String> names();

    /** Services that have a footprint on one of some devices, by name. */
    @Select("<script>select distinct service from service_devices where device" + Among.DEVICES + " order by service</script>")
    List<String> on(@Param("devices") Collection<String> devices);

    /** That a service has a footprint on a device. */
    record Footprint(String device, String service) {}

    @Select("<script>select device, service from service_devices where device" + Among.DEVICES + " order by device, service</script>")
    List<Footprint> footprints(@Param("devices") Collection<String> devices);

    @Delete("delete from service_devices where service = #{service}")
    void withoutFootprint(String service);

    @Insert("insert into service_devices (device, service) select device, service from json_to_recordset(#{footprints}::json) as f(device text, service text)")
    void putFootprintRows(String footprints);

    default void putFootprint(String service, Collection<String> devices) {
        putFootprintRows(Json.ROWS.write(devices.stream().map(device -> new Footprint(device, service)).toList()));
    }

    @Insert("""
            insert into services (name, tenant, model, model_version, parameters_json, devices_json, customers_to_follow_json, component_of)
            values (#{row.name}, #{row.tenant}, #{row.model}, #{row.modelVersion}, #{row.parametersJson}, #{row.devicesJson}, #{row.customersToFollowJson}, #{row.componentOf})
            on conflict (name) do update set tenant = excluded.tenant, model_version = excluded.model_version, parameters_json = excluded.parameters_json,
                    devices_json = excluded.devices_json, customers_to_follow_json = excluded.customers_to_follow_json, component_of = excluded.component_of,
                    version = services.version + 1""")
    void put(@Param("row") ServiceRow row);

    /** Customers have followed at some ports; nothing where the service has changed since a version, or an order holds it. */
    @Update("""
            update services set customers_to_follow_json = #{left}
            where name = #{name} and version = #{version} and not exists (select 1 from holds h where h.kind = 'service' and h.name = #{name})""")
    int followed(String name, long version, String left);

    @Delete("delete from services where name = #{name}")
    void drop(String name);

    /** The services that refer to a service. */
    @Select("""
            select s.name, s.tenant, s.model, s.model_version, s.parameters_json, s.devices_json, s.version, s.customers_to_follow_json, s.component_of
            from services s
            join service_references r on r.service = s.name
            where r.refers_to = #{name}
            order by s.name""")
    List<ServiceRow> referrers(String name);

    /** The services that a service contains. */
    @Select("""
            select name, tenant, model, model_version, parameters_json, devices_json, version, customers_to_follow_json, component_of
            from services
            where component_of = #{name}
            order by name""")
    List<ServiceRow> components(String name);

    /** A service and all that it contains, by whatever number of steps, each behind what contains it. */
    @Select("""
            with recursive whole(name, way) as (
                select name, array[name] from services where name = #{name}
                union all
                select s.name, w.way || s.name from services s join whole w on s.component_of = w.name)
            select name from whole order by way""")
    List<String> whole(String name);

    @Select("select refers_to from service_references where service = #{name}")
    List<String> refersTo(String name);

    @Delete("delete from service_references where service = #{service} and refers_to = #{referred}")
    void unrefer(String service, String referred);

    @Insert("insert into service_references (service, refers_to) values (#{service}, #{referred}) on conflict do nothing")
    void refer(String service, String referred);

    /** What refers to a service is another thing than before: whoever planned from it plans again. */
    @Update("update services set version = version + 1 where name = #{name}")
    void moved(String name);

    @Update("update service_history set service = #{name} where service = #{formerly}")
    void rename(String formerly, String name);

    /**
     * A version of a service: what an order made of it.
     *
     * @param kind ADD, CHANGE or REMOVE
     * @param parametersJson of one that was removed those that it had
     * @param tenant absent, like its model, where it was removed, and where its order ended long ago
     * @param componentOf the service that contained it; null where it stood for itself
     */
    record VersionRow(String service, long orderId, String kind, String parametersJson, String tenant, String model, Integer modelVersion, String componentOf) {}

    String VERSION = "select service, order_id, kind, parameters_json, tenant, model, model_version, component_of from service_history";

    @Insert("""
            insert into service_history (service, order_id, kind, parameters_json, tenant, model, model_version, component_of)
            values (#{v.service}, #{v.orderId}, #{v.kind}, #{v.parametersJson}, #{v.tenant}, #{v.model}, #{v.modelVersion}, #{v.componentOf})""")
    void remember(@Param("v") VersionRow version);

    @Select(VERSION + " where service = #{service} and order_id = #{order}")
    Optional<VersionRow> version(String service, long order);

    /** What a service was before an order. */
    @Select(VERSION + " where service = #{service} and order_id < #{order} order by order_id desc limit 1")
    Optional<VersionRow> versionBefore(String service, long order);

    /** What an order made, service by service. */
    @Select(VERSION + " where order_id = #{order} order by service")
    List<VersionRow> versionsOf(long order);

    /** The orders that made something of a service after another one. */
    @Select("select order_id from service_history where service = #{service} and order_id > #{order} order by order_id")
    List<Long> ordersSince(String service, long order);

    /** An order that has made something of services, and when. */
    record MadeBy(long order, String who, String reason, OffsetDateTime at) {}

    /** The orders that have made something of services after a time, the earliest first. */
    @Select("""
            select h.order_id as order, o.who, o.reason, max(h.at) as at
            from service_history h
            join orders o on o.id = h.order_id
            where h.at > #{time}
            group by h.order_id, o.who, o.reason
            order by max(h.at), h.order_id""")
    List<MadeBy> madeSince(OffsetDateTime time);

    /** The order that last made something of a service. */
    record LastOrder(String service, long order) {}

    @Select("""
            select n.name as service, last.order
            from json_array_elements_text(#{names}::json) n(name)
            cross join lateral (select max(order_id) as order from service_history where service = n.name) last
            where last.order is not null""")
    List<LastOrder> lastOrders(String names);

    @Select("""
            select h.service, h.order_id, h.kind, h.parameters_json, h.at, o.who, o.reason
            from service_history h
            join orders o on o.id = h.order_id
            where h.service = #{service} and (#{scopes}::json is null or order_seen(h.order_id, #{scopes}::json))
            order by h.order_id desc""")
    List<HistoryRow> history(String service, String scopes);

    @Select("select pool, within, service, key, number from allocations where service = #{service} order by key")
    List<Allocation> heldBy(String service);

    @Select("select pool, within, service, key, number from allocations where pool = #{pool} and within = #{within} and number = #{number}")
    Optional<Allocation> holder(String pool, String within, long number);

    @Select("select reserved_by from allocations where pool = #{pool} and within = #{within} and number = #{number} and reserved_by is not null")
    Optional<String> keptBy(String pool, String within, long number);

    @Select("select pool, within, service, key, number from allocations where pool = #{pool} and within = #{within} order by number")
    List<Allocation> takenWithin(String pool, String within);

    @Select("select pool, within, service, key, number from allocations where pool = #{pool} and starts_with(within, #{beginning}) order by within, number")
    List<Allocation> takenBelow(String pool, String beginning);

    /** The lowest free numbers of a range, in order; what is taken is not fetched. */
    @Select("""
            select n
            from (select generate_series(#{from}, #{to}, #{stride}) as n) series
            where not exists (select 1 from allocations where pool = #{pool} and within = #{within} and number = n)
            limit #{limit}""")
    List<Long> free(String pool, String within, long from, long to, long stride, int limit);

    String ROWS = " from json_to_recordset(#{allocations}::json) as r(pool text, within text, number bigint, service text, key text)";

    @Insert("insert into allocations (pool, within, number, service, key) select pool, within, number, service, key" + ROWS + " on conflict do nothing")
    int takeRows(String allocations);

    /** Takes the numbers that nobody has; whether it is all. */
    default boolean take(Collection<Allocation> allocations) {
        return allocations.isEmpty() || takeRows(Json.ROWS.write(allocations)) == allocations.size();
    }

    @Update("update allocations a set service = r.service, key = r.key" + ROWS + " where a.pool = r.pool and a.within = r.within and a.number = r.number")
    void passRows(String allocations);

    /** Passes numbers on to another service, or to another place in the same. */
    default void pass(Collection<Allocation> allocations) {
        if (!allocations.isEmpty()) {
            passRows(Json.ROWS.write(allocations));
        }
    }

    @Delete("delete from allocations a using (select *" + ROWS + ") r where a.pool = r.pool and a.within = r.within and a.number = r.number and a.service = r.service and a.reserved_by is null")
    void giveBackRows(String allocations);

    /** Gives numbers back, but for those that a draft keeps. */
    default void giveBack(Collection<Allocation> allocations) {
        if (!allocations.isEmpty()) {
            giveBackRows(Json.ROWS.write(allocations));
        }
    }

    /** A number that a draft keeps for what its entry makes of a service. */
    record Reserved(String reservedFor, String pool, String within, String service, String key, long number) {

        public static Reserved of(String entry, Allocation allocation) {
            return new Reserved(entry, allocation.pool(), allocation.within(), allocation.service(), allocation.key(), allocation.number());
        }

        public Allocation allocation() {
            return new Allocation(pool, within, service, key, number);
        }
    }

    String RESERVED_ROWS = " from json_to_recordset(#{numbers}::json) as r(pool text, within text, number bigint, service text, key text, \"reservedFor\" text)";

    @Insert("insert into allocations (pool, within, number, service, key, reserved_by, reserved_for) select pool, within, number, service, key, #{draft}, \"reservedFor\"" + RESERVED_ROWS
            + " on conflict do nothing")
    int reserveRows(String draft, String numbers);

    /** Keeps numbers that nobody has for a draft; whether it is all. */
    default boolean reserve(String draft, Collection<Reserved> numbers) {
        return numbers.isEmpty() || reserveRows(draft, Json.ROWS.write(numbers)) == numbers.size();
    }

    @Select("select reserved_for, pool, within, service, key, number from allocations where reserved_by = #{draft} order by reserved_for, service, key")
    List<Reserved> reserved(String draft);

    @Delete("delete from allocations a using (select *" + ROWS + ") r where a.pool = r.pool and a.within = r.within and a.number = r.number and a.reserved_by = #{draft}")
    void releaseRows(String draft, String allocations);

    default void release(String draft, Collection<Allocation> allocations) {
        if (!allocations.isEmpty()) {
            releaseRows(draft, Json.ROWS.write(allocations));
        }
    }

    @Update("update allocations set reserved_by = #{to} where reserved_by = #{draft} and reserved_for = #{entry}")
    void moveReserved(String draft, String entry, String to);

    /** Numbers that drafts have kept for services are these services' own from now on, but for those that they do not take. */
    @Update("""
            update allocations a set reserved_by = null, reserved_for = null
            where a.reserved_by is not null and a.service in (select json_array_elements_text(#{services}::json))
            and not exists (select 1 from json_to_recordset(#{without}::json) as r(pool text, within text, number bigint)
                    where r.pool = a.pool and r.within = a.within and r.number = a.number)""")
    void ownRows(String services, String without);

    default void own(Collection<String> services, Collection<Allocation> without) {
        ownRows(Json.ROWS.write(services), Json.ROWS.write(without));
    }

    /** Gives back what drafts keep no longer, but for what orders that have not ended are planned with. */
    @Delete("""
            delete from allocations a
            where a.reserved_by is not null
            and not exists (select 1 from drafts d join draft_entries e on e.draft = d.name where d.name = a.reserved_by and e.service = a.reserved_for and d.reserved_until > now())
            and not exists (select 1 from orders o, json_array_elements(o.services_json::json) s where o.ended_at is null and s ->> 'service' in (a.service, a.reserved_for))""")
    int releaseEnded();
}
