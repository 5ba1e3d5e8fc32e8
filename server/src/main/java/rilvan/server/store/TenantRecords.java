package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Tenants, and the names that they had before. */
@Mapper
public interface TenantRecords {

    /**
     * A tenant.
     *
     * @param formerJson names that it had before
     * @param version counts its changes
     */
    record TenantRow(String name, String contact, String attachmentsJson, String formerJson, long version, OffsetDateTime createdAt, String createdBy, long services) {}

    String TENANTS = """
            select t.name, t.contact, t.attachments_json,
                    (select coalesce(json_agg(f.former order by f.former), '[]') from tenant_former_names f where f.name = t.name)::text as former_json,
                    t.version, t.created_at, t.created_by, (select count(*) from services s where s.tenant = t.name) as services
            from tenants t""";

    @Select("select version from tenants_version")
    long version();

    @Update("update tenants_version set version = version + 1")
    void changed();

    @Select(TENANTS)
    List<TenantRow> all();

    @Select(TENANTS + " where t.name = #{name}")
    Optional<TenantRow> tenant(String name);

    @Insert("""
            insert into tenants (name, contact, attachments_json, created_by) values (#{name}, #{contact}, #{attachments}, #{by})
            on conflict (name) do update set contact = excluded.contact, attachments_json = excluded.attachments_json, version = tenants.version + 1""")
    void put(String name, String contact, String attachments, String by);

    @Delete("delete from tenants where name = #{name}")
    int drop(String name);

    /** Whatever names it follows, but for what is written in the parameters of services. */
    @Update("update tenants set name = #{to}, version = version + 1 where name = #{from}")
    void rename(String from, String to);

    @Delete("delete from tenant_former_names where former = #{former}")
    void forgetFormer(String former);

    @Insert("insert into tenant_former_names (former, name) values (#{former}, #{name})")
    void addFormer(String former, String name);

    /** The services that are for a tenant, or that refer to it. */
    @Select("select name from services where tenant = #{name} union select service from service_tenants where tenant = #{name} order by 1")
    List<String> concerned(String name);

    @Select("select service from service_tenants where tenant = #{name} order by service")
    List<String> referring(String name);

    /** That a service's parameters refer to a tenant. */
    record Referring(String service, String tenant) {}

    @Delete("delete from service_tenants t using json_array_elements_text(#{services}::json) s(name) where t.service = s.name")
    void dropReferring(String services);

    @Insert("insert into service_tenants (service, tenant) select service, tenant from json_to_recordset(#{rows}::json) as r(service text, tenant text)")
    void addReferring(String rows);

    /** Of some services, the tenants that their parameters refer to from now on. */
    default void putReferring(Map<String, Set<String>> tenants) {
        dropReferring(Json.ROWS.write(tenants.keySet()));
        List<Referring> rows = tenants.entrySet().stream().flatMap(each -> each.getValue().stream().map(tenant -> new Referring(each.getKey(), tenant))).toList();
        if (!rows.isEmpty()) {
            addReferring(Json.ROWS.write(rows));
        }
    }

    /** The orders under way that are for a tenant, or whose services refer to it. */
    @Select("""
            select distinct o.id
            from order_scope s
            join orders o on o.id = s.order_id
            where s.kind in ('tenant', 'referred') and s.name = #{name} and\s""" + Orders.UNDER_WAY + """
            order by o.id""")
    List<Long> underWay(String name);

    /** Orders that were for a tenant are for the one of another name; of a tenant that is gone, for one of the name ''. */
    @Update("update order_scope s set name = #{to} where kind = 'tenant' and name = #{from} and not exists (select 1 from order_scope o where o.order_id = s.order_id and o.kind = s.kind and o.name = #{to})")
    void passOrders(String from, String to);

    @Update("update services set parameters_json = #{parameters}, version = version + 1 where name = #{service}")
    void putParameters(String service, String parameters);

    /** Whatever was planned from the services of a tenant is planned again. */
    @Update("update services set version = version + 1 where tenant = #{name}")
    void moved(String name);
}
