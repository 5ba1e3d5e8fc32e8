package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** What is published, and what of it is in force. */
@Mapper
public interface Releases {

    /** A version that is published, without its files; its kind is a name of {@link rilvan.core.catalog.Release.Kind}. */
    record ReleaseHead(String kind, String name, int version, String digest, boolean inForce, boolean retired, OffsetDateTime publishedAt, String publishedBy, String reason,
            long services) {}

    record ReleaseRow(String kind, String name, int version, String digest, String filesJson, boolean inForce, boolean retired) {}

    String HEAD = """
            select r.kind, r.name, r.version, r.digest, r.in_force, r.retired, r.published_at, r.published_by, r.reason,
                    (select count(*) from services s where r.kind = 'MODEL' and s.model = r.name and s.model_version = r.version) as services
            from releases r""";

    String ROW = "select kind, name, version, digest, files_json, in_force, retired from releases";

    String ORDER = " order by array_position(array['MODEL', 'DIALECT', 'VOCABULARY'], kind), name, version";

    /** Lets one at a time change what is published, until the end of the database transaction. */
    @Select("select 1 from pg_advisory_xact_lock(7459)")
    int lock();

    @Select("select version from library_version")
    long libraryVersion();

    @Update("update library_version set version = version + 1")
    void changed();

    @Select(HEAD + ORDER)
    List<ReleaseHead> heads();

    @Select(ROW + " where in_force" + ORDER)
    List<ReleaseRow> inForce();

    @Select(ROW + " where kind = #{kind} and name = #{name} and version = #{version}")
    Optional<ReleaseRow> release(String kind, String name, int version);

    @Insert("""
            insert into releases (kind, name, version, digest, files_json, in_force, published_by, reason)
            values (#{row.kind}, #{row.name}, #{row.version}, #{row.digest}, #{row.filesJson}, #{row.inForce}, #{who}, #{reason})""")
    void add(@Param("row") ReleaseRow row, @Param("who") String who, @Param("reason") String reason);

    @Update("update releases set in_force = false where kind = #{kind} and name = #{name} and in_force")
    void outOfForce(String kind, String name);

    @Update("update releases set in_force = true where kind = #{kind} and name = #{name} and version = #{version}")
    void intoForce(String kind, String name, int version);

    @Update("update releases set in_force = false, retired = true where kind = #{kind} and name = #{name} and version = #{version}")
    void retire(String kind, String name, int version);

    /**
     * Some of the services that are made from a version of a model, by name.
     *
     * @param scopes what somebody sees, as the function {@code service_seen} takes it; null for everything
     */
    @Select("""
            select name from services
            where model = #{model} and model_version = #{version} and (#{scopes}::json is null or service_seen(name, tenant, #{scopes}::json))
            order by name limit #{limit}""")
    List<String> services(String model, int version, int limit, String scopes);

    /** How many services are made from a version of a model. */
    @Select("select count(*) from services where model = #{model} and model_version = #{version}")
    long standing(String model, int version);

    /** The orders under way that hold a device among some. */
    @Select("<script>select distinct order_id from holds where kind = 'device' and name" + Among.DEVICES + " order by order_id</script>")
    List<Long> holding(@Param("devices") Collection<String> devices);

    /** The orders under way that make services of a version of a model. */
    @Select("""
            select id from orders
            where\s""" + Orders.UNDER_WAY + """
            and exists (select 1 from json_array_elements(plan_json::json -> 'services') each
                    where each ->> 'model' = #{model} and (each ->> 'modelVersion')::int = #{version})
            order by id""")
    List<Long> making(String model, int version);
}
