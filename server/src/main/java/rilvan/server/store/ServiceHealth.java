package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;

/** When each service was last checked, and which checks failed then. */
@Mapper
public interface ServiceHealth {

    /**
     * The result of the last checks of a service.
     *
     * @param failures the failed checks, in words; empty where all passed
     */
    record HealthRow(String service, OffsetDateTime checkedAt, String failures) {}

    /** A service that no order holds and that nobody has looked at for so long; the one seen longest ago. */
    @Select("""
            select s.name
            from services s
            left join service_health l on l.service = s.name
            where (l.checked_at is null or l.checked_at < now() - #{seconds} * interval '1 second')
            and not exists (select 1 from holds h where h.kind = 'service' and h.name = s.name)
            order by l.checked_at nulls first, s.name
            limit 1""")
    Optional<String> due(long seconds);

    /** Takes it on oneself to look at a service; nothing where somebody else just has. */
    @Insert("""
            insert into service_health (service, checked_at, failures)
            values (#{service}, now(), '')
            on conflict (service) do update set checked_at = now()
            where service_health.checked_at < now() - #{seconds} * interval '1 second'""")
    int take(String service, long seconds);

    /** What was seen of a service; nothing is kept of one that is gone meanwhile. */
    @Insert("""
            insert into service_health (service, checked_at, failures) select name, now(), #{failures}
            from services
            where name = #{service}
            on conflict (service) do update set checked_at = now(), failures = excluded.failures""")
    void checked(String service, String failures);

    @Select("select service, checked_at, failures from service_health where failures <> '' order by service limit 100")
    List<HealthRow> failing();
}
