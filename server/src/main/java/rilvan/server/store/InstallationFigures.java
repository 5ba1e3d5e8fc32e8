package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Select;

/** What the store knows of how the installation itself does. */
@Mapper
public interface InstallationFigures {

    /** An instance of the service. */
    record InstanceRow(String id, OffsetDateTime aliveUntil, boolean alive, long drives) {}

    /** A table with what belongs to it. */
    record TableRow(String name, long bytes) {}

    /**
     * An order that has begun and not ended.
     *
     * @param seconds since it was placed
     */
    record OldestOrder(long id, String state, long seconds) {}

    @Select("""
            select i.id, i.alive_until, i.alive_until > now() as alive, (select count(*) from orders o where o.driver = i.id and\s""" + Orders.UNDER_WAY + """
            ) as drives
            from instances i order by i.alive_until desc""")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    List<InstanceRow> instances();

    /** By the clock of the store. */
    @Select("select clock_timestamp()")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    OffsetDateTime now();

    /** Whether a commit is confirmed only when a standby has it. */
    @Select("select current_setting('synchronous_standby_names') <> '' and current_setting('synchronous_commit') in ('on', 'remote_apply')")
    boolean waitsForStandby();

    @Select("select pg_database_size(current_database())")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    long bytes();

    @Select("""
            select relname as name, pg_total_relation_size(oid) as bytes from pg_class
            where relkind = 'r' and relnamespace = current_schema()::regnamespace order by 2 desc limit #{limit}""")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    List<TableRow> largest(int limit);

    @Select("select id, state, extract(epoch from now() - created_at)::bigint as seconds from orders where " + Orders.UNDER_WAY + " order by created_at limit 1")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<OldestOrder> oldestOrder();

    /** Seconds since the service was checked that was checked longest ago, of those that no order holds; nothing where there is no service. */
    @Select("select extract(epoch from now() - min(l.checked_at))::bigint from service_health l where not exists (select 1 from holds h where h.kind = 'service' and h.name = l.service)")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<Long> longestUnchecked();

    /** Seconds since the device was read that was read longest ago, of those that are trusted and were read before; nothing where there is none. */
    @Select("select extract(epoch from now() - min(d.read_at))::bigint from devices d where d.host_key is not null and not exists (select 1 from holds h where h.kind = 'device' and h.name = d.name)")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<Long> longestUnread();

    @Select("select count(*) from devices where host_key is null")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    long untrusted();

    @Select("select count(*) from service_health where failures <> ''")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    long failing();

    @Select("select count(*) from drift where left_at is null")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    long drifted();
}
