package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** What has happened to orders, services, devices, tenants and the library. Triggers of the store write it. */
@Mapper
public interface Events {

    /** Something that happened; null for what it is not about. */
    record Happened(long seq, OffsetDateTime at, String kind, Long orderId, String service, String device, String tenant, String data) {}

    /**
     * What somebody wants to be told of.
     *
     * @param kinds whole kinds such as {@code order.ended}, or the first word of several; null for all
     * @param order of this order alone; null for all, and so are {@code service}, {@code device} and {@code tenant}
     */
    record Wanted(List<String> kinds, Long order, String service, String device, String tenant) {

        public static final Wanted ALL = new Wanted(null, null, null, null, null);
    }

    @Select("select exists (select 1 from events where seq is null)")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    boolean hasOpen();

    /** Whether nobody else gives numbers now; until the end of the database transaction nobody will. */
    @Select("select pg_try_advisory_xact_lock(7460)")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    boolean lock();

    /** Gives numbers to what has none, in the order in which it was written. Only what is committed is seen, so that nothing ever comes before what somebody has read. */
    @Update("""
            with open as materialized (select id, row_number() over (order by id) as place from events where seq is null),
            counter as (update event_log set last_seq = last_seq + (select count(*) from open) returning last_seq - (select count(*) from open) as base)
            update events e set seq = counter.base + open.place from open, counter where e.id = open.id""")
    void number();

    /** The number of the last. */
    @Select("select last_seq from event_log")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    long last();

    /** The number of the first that is still kept; one beyond the last where none is. */
    @Select("select coalesce((select min(seq) from events), (select last_seq + 1 from event_log))")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    long first();

    /**
     * Some of what came after a number, the earliest first.
     *
     * @param scopes what somebody sees, as the function {@code service_seen} takes it; null for everything. What is about neither a service nor an order is for those who see everything
     */
    @Select("""
            <script>
            select seq, at, kind, order_id, service, device, tenant, data from events where seq &gt; #{after}
            <if test='wanted.kinds != null'>and (kind in <foreach item='each' collection='wanted.kinds' open='(' separator=',' close=')'>#{each}</foreach>
                or split_part(kind, '.', 1) in <foreach item='each' collection='wanted.kinds' open='(' separator=',' close=')'>#{each}</foreach>)</if>
            <if test='wanted.order != null'>and order_id = #{wanted.order}</if>
            <if test='wanted.service != null'>and service = #{wanted.service}</if>
            <if test='wanted.device != null'>and device = #{wanted.device}</if>
            <if test='wanted.tenant != null'>and tenant = #{wanted.tenant}</if>
            <if test='scopes != null'>and case when service is not null then service_seen(service, tenant, #{scopes}::json) else order_id is not null and order_seen(order_id, #{scopes}::json) end</if>
            order by seq limit #{limit}
            </script>""")
    List<Happened> after(@Param("after") long after, @Param("limit") int limit, @Param("wanted") Wanted wanted, @Param("scopes") String scopes);

    /** Drops some of what is older. @return how many */
    @Delete("delete from events where id in (select id from events where at < now() - #{seconds} * interval '1 second' and seq is not null order by at limit #{limit})")
    int drop(long seconds, int limit);
}
