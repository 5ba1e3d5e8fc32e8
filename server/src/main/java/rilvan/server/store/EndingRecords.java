package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** When services, or items of their lists, end. */
@Mapper
public interface EndingRecords {

    /**
     * An end.
     *
     * @param part FIELD/NAME of an item of a list; empty for the whole service
     * @param noticeAt when it is told of beforehand
     * @param version counts its changes
     * @param orderId the order that has been placed for it; null before
     * @param failure what has kept that from being placed, or why it was rolled back; empty where nothing has
     */
    record EndingRow(String service, String part, OffsetDateTime at, OffsetDateTime noticeAt, String reason, long version, String who, Long orderId, String failure) {}

    String ENDING = "select service, part, at, notice_at, reason, version, who, order_id, failure from endings";

    /** Those of services that somebody sees, the earliest first. */
    @Select(ENDING + " where #{scopes}::json is null or exists (select 1 from services s where s.name = service and service_seen(s.name, s.tenant, #{scopes}::json)) order by at, service, part")
    List<EndingRow> all(String scopes);

    @Select(ENDING + " where service = #{service} and part = #{part}")
    Optional<EndingRow> ending(String service, String part);

    @Insert("""
            insert into endings (service, part, at, notice_at, reason, who, next_at)
            values (#{e.service}, #{e.part}, #{e.at}, #{e.noticeAt}, #{e.reason}, #{e.who}, #{e.at})
            on conflict (service, part) do update set at = excluded.at, notice_at = excluded.notice_at, noticed = false, reason = excluded.reason, version = endings.version + 1, who = excluded.who,
                    set_at = now(), next_at = excluded.at, order_id = null, failure = ''""")
    void put(@Param("e") EndingRow ending);

    @Delete("delete from endings where service = #{service} and part = #{part}")
    int drop(String service, String part);

    @Update("update endings set noticed = true where notice_at <= now() and not noticed")
    void notice();

    @Select(ENDING + " where next_at <= now() and order_id is null order by next_at")
    List<EndingRow> due();

    /** Its order is placed; 0 rows where it is another one by now. */
    @Update("update endings set order_id = #{order}, failure = '' where service = #{service} and part = #{part} and version = #{version} and order_id is null")
    int placed(String service, String part, long version, long order);

    @Update("update endings set next_at = now() + #{seconds} * interval '1 second', failure = #{why} where service = #{service} and part = #{part} and version = #{version}")
    void postpone(String service, String part, long version, long seconds, String why);

    /** What has ended has no end to come. */
    @Delete("delete from endings where service = #{service} and (#{whole} or part = #{part}) and version = #{version}")
    void dropReached(String service, String part, boolean whole, long version);

    /** The order of an end has been rolled back: somebody is to look at it. */
    @Update("update endings set failure = #{why} where order_id = #{order}")
    void rolledBack(long order, String why);

    /** The order of an end was interrupted: another one is placed for it. */
    @Update("update endings set order_id = null, failure = #{why}, version = version + 1, next_at = now() where order_id = #{order}")
    void interrupted(long order, String why);

    @Delete("delete from endings where order_id = #{order}")
    void reached(long order);

    /** A service goes, with all that was to end of it. */
    @Delete("delete from endings where service = #{service}")
    void gone(String service);

    @Update("update endings set service = #{name} where service = #{formerly}")
    void rename(String formerly, String name);
}
