package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Addresses that are sent events. */
@Mapper
public interface WebhookRecords {

    /**
     * An address that is sent events.
     *
     * @param kindsJson the kinds that it wants, as JSON; none for all
     * @param secret sealed
     * @param taken the number of the last event that it has taken, or that was none for it
     * @param tries how often sending has failed since it last did not
     * @param failingFrom since when sending fails; null where it does not
     * @param failure why it failed the last time; empty where it did not
     * @param givenUpAt since when nothing is sent any more; null where it is
     */
    record WebhookRow(String name, String address, String kindsJson, byte[] secret, long taken, int tries, OffsetDateTime failingFrom, String failure, OffsetDateTime givenUpAt,
            OffsetDateTime nextAt, OffsetDateTime createdAt, String createdBy) {}

    String COLUMNS = "name, address, array_to_json(kinds) as kinds_json, secret, taken, tries, failing_from, failure, given_up_at, next_at, created_at, created_by";

    String ROW = "select " + COLUMNS + " from webhooks ";

    String KINDS = "array(select json_array_elements_text(#{kinds}::json))";

    /** Makes others who change webhooks wait, until the end of the database transaction. */
    @Select("select 1 from pg_advisory_xact_lock(7463)")
    int lock();

    @Select(ROW + "order by name")
    List<WebhookRow> all();

    @Select(ROW + "where name = #{name}")
    Optional<WebhookRow> webhook(String name);

    @Select("select count(*) from webhooks")
    int count();

    @Insert("insert into webhooks (name, address, kinds, secret, taken, created_by) values (#{name}, #{address}, " + KINDS + ", #{secret}, #{taken}, #{by}) on conflict do nothing")
    int add(String name, String address, String kinds, byte[] secret, long taken, String by);

    @Update("update webhooks set address = #{address}, kinds = " + KINDS + " where name = #{name}")
    int change(String name, String address, String kinds);

    @Delete("delete from webhooks where name = #{name}")
    int remove(String name);

    /** Sending begins again, behind an event. */
    @Update("update webhooks set taken = #{taken}, given_up_at = null, failing_from = null, failure = '', tries = 0, next_at = now(), claim = null where name = #{name}")
    int resume(String name, long taken);

    /** Takes it on oneself to send for so many seconds to the one that waits longest. */
    @Select("""
            update webhooks set claim = #{claim}::uuid, next_at = now() + #{seconds} * interval '1 second'
            where name = (select name from webhooks where given_up_at is null and next_at <= now() and taken < #{last} order by next_at limit 1 for update skip locked)
            returning\s""" + COLUMNS)
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<WebhookRow> claim(String claim, long last, long seconds);

    /** @return 0 where somebody else sends by now, or it was resumed elsewhere */
    @Update("""
            update webhooks set taken = #{taken}, tries = 0, failing_from = null, failure = '', next_at = now() + #{seconds} * interval '1 second'
            where name = #{name} and claim = #{claim}::uuid""")
    int taken(String name, String claim, long taken, long seconds);

    /** Since when it fails; absent where it does not. */
    @Select("select extract(epoch from now() - failing_from)::bigint from webhooks where name = #{name} and failing_from is not null")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<Long> failingSeconds(String name);

    /** The next try is after a pause. */
    @Update("""
            update webhooks set tries = tries + 1, failing_from = coalesce(failing_from, now()), failure = #{failure}, next_at = now() + #{seconds} * interval '1 second', claim = null
            where name = #{name} and claim = #{claim}::uuid""")
    void failed(String name, String claim, String failure, long seconds);

    @Update("update webhooks set given_up_at = now(), tries = tries + 1, failing_from = coalesce(failing_from, now()), failure = #{failure}, claim = null where name = #{name} and claim = #{claim}::uuid")
    void giveUp(String name, String claim, String failure);
}
