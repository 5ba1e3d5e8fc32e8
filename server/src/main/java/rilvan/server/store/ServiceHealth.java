package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;

/** When services were last seen, and what was wrong with them then. */
@Mapper
public interface ServiceHealth {

    /**
     * A service as it was last seen.
     *
     * @param wrong what was not as it must be; empty where all was
     */
    record HealthRow(String service, OffsetDateTime at, String wrong) {}

    /** A service that no order holds and that nobody has looked at for so long; the one seen longest ago. */
    @Select("select s.name from services s left join service_looks l on l.service = s.name "
            + "where (l.at is null or l.at < now() - #{seconds} * interval '1 second') "
            + "and not exists (select 1 from holds h where h.kind = 'service' and h.name = s.name) order by l.at nulls first, s.name limit 1")
    Optional<String> due(long seconds);

    /** Takes it on oneself to look at a service; nothing where somebody else just has. */
    @Insert("insert into service_looks (service, at, wrong) values (#{service}, now(), '') on conflict (service) do update set at = now() "
            + "where service_looks.at < now() - #{seconds} * interval '1 second'")
    int take(String service, long seconds);

    /** What was seen of a service; nothing is kept of one that is gone meanwhile. */
    @Insert("insert into service_looks (service, at, wrong) select name, now(), #{wrong} from services where name = #{service} "
            + "on conflict (service) do update set at = now(), wrong = excluded.wrong")
    void seen(String service, String wrong);

    @Select("select service, at, wrong from service_looks where wrong <> '' order by service limit 100")
    List<HealthRow> wrong();
}
