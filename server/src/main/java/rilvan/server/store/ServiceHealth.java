package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** When each service was last checked, and which checks failed then. */
@Mapper
public interface ServiceHealth {

    /**
     * The result of the last checks of a service.
     *
     * @param failures the failed checks, in words; empty where all passed
     * @param outOfDate on which devices the service would say something else today, in words; empty where it is up to date
     */
    record HealthRow(String service, OffsetDateTime checkedAt, String failures, String outOfDate) {}

    /** Where customers are still to change their routers, a service is checked at least this often. */
    String LONG_AGO = "now() - (case s.customers_to_follow_json when '[]' then #{seconds} else least(#{seconds}, 60) end) * interval '1 second'";

    String NOT_HELD = " and not exists (select 1 from holds h where h.kind = 'service' and h.name = l.service) order by l.checked_at limit 1";

    /** A service that no order holds and that nobody has looked at for so long; the one checked longest ago. Two looks into indexes, however many there are. */
    @Select("select service from ((select l.service, l.checked_at from service_health l where l.checked_at < now() - #{seconds} * interval '1 second'" + NOT_HELD
            + ") union all (select l.service, l.checked_at from service_health l join services s on s.name = l.service where s.customers_to_follow_json <> '[]' and l.checked_at < "
            + LONG_AGO + NOT_HELD + ")) due order by checked_at limit 1")
    Optional<String> due(long seconds);

    /** Takes it on oneself to look at a service; nothing where somebody else just has. */
    @Insert("""
            insert into service_health (service, checked_at, failures)
            values (#{service}, now(), '')
            on conflict (service) do update set checked_at = now()
            where exists (select 1 from services s where s.name = service_health.service and service_health.checked_at <
            """ + LONG_AGO + ")")
    int take(String service, long seconds);

    /** What was seen of a service; nothing is kept of one that is gone meanwhile. */
    @Insert("""
            insert into service_health (service, checked_at, failures, out_of_date) select name, now(), #{failures}, #{outOfDate}
            from services
            where name = #{service}
            on conflict (service) do update set checked_at = now(), failures = excluded.failures, out_of_date = excluded.out_of_date""")
    void checked(String service, String failures, String outOfDate);

    /** Whether a service is out of date; its checks were not run for this. */
    @Update("update service_health set out_of_date = #{outOfDate} where service = #{service} and out_of_date <> #{outOfDate}")
    void compared(String service, String outOfDate);

    /** @param scopes what somebody sees, as the function {@code service_seen} takes it; null for everything */
    @Select("""
            select h.service, h.checked_at, h.failures, h.out_of_date
            from service_health h
            join services s on s.name = h.service
            where (h.failures <> '' or h.out_of_date <> '') and (#{scopes}::json is null or service_seen(s.name, s.tenant, #{scopes}::json))
            order by h.service limit 100""")
    List<HealthRow> failing(String scopes);
}
