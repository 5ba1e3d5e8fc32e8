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

/** Orders, their journal, what they hold, and what became of them. */
@Mapper
public interface Orders {

    record OrderRow(long id, String who, String reason, String document, String state, long epoch, String token,
            String guarantee, String planJson, String sessionsJson, String failure, OffsetDateTime createdAt, OffsetDateTime endedAt) {}

    record PartRow(long orderId, String device, String changesJson, String ledgerJson, String linesJson) {}

    record EventRow(long orderId, int seq, OffsetDateTime at, String device, String phase, String word, String text) {}

    record CheckRow(long orderId, int seq, String service, String observer, String target, String proves, boolean holds, String seen) {}

    String COLUMNS = "id, who, reason, document, state, epoch, token, guarantee, plan_json, sessions_json, failure, created_at, ended_at";

    @Select(affectData = true, value = "insert into orders (who, reason, document, state, token, guarantee, plan_json, idempotency_key) values (#{who}, "
            + "#{reason}, #{document}, 'OPEN', #{token}, #{guarantee}, #{plan}, #{key}) returning id")
    long add(@Param("who") String who, @Param("reason") String reason, @Param("document") String document,
            @Param("token") String token, @Param("guarantee") String guarantee, @Param("plan") String plan, @Param("key") String key);

    @Select("select id from orders where who = #{who} and idempotency_key = #{key}")
    Optional<Long> byIdempotencyKey(String who, String key);

    @Select("select " + COLUMNS + " from orders where id = #{id}")
    Optional<OrderRow> order(long id);

    @Select("select " + COLUMNS + " from orders where state not in ('DONE', 'ABORTED') order by id")
    List<OrderRow> unfinished();

    @Select("select " + COLUMNS + " from orders where id < #{before} order by id desc limit #{limit}")
    List<OrderRow> before(long before, int limit);

    /** The journal: one record after another, only by whoever has the right to drive the order. */
    @Update("update orders set state = #{state}, failure = #{failure}, sessions_json = #{sessions}, "
            + "ended_at = case when #{ended} then now() end where id = #{id} and state = #{expected} and epoch = #{epoch}")
    int record(long id, long epoch, String expected, String state, String failure, String sessions, boolean ended);

    /** Takes over the right to drive an order. */
    @Update("update orders set epoch = epoch + 1 where id = #{id} and epoch = #{epoch}")
    int takeOver(long id, long epoch);

    @Insert("insert into order_parts (order_id, device, changes_json, ledger_json, lines_json) values (#{p.orderId}, "
            + "#{p.device}, #{p.changesJson}, #{p.ledgerJson}, #{p.linesJson})")
    void addPart(@Param("p") PartRow part);

    @Select("select order_id, device, changes_json, ledger_json, lines_json from order_parts where order_id = #{id} order by device")
    List<PartRow> parts(long id);

    @Insert("insert into order_events (order_id, seq, at, device, phase, word, text) values (#{e.orderId}, #{e.seq}, #{e.at}, "
            + "#{e.device}, #{e.phase}, #{e.word}, #{e.text}) on conflict do nothing")
    void addEvent(@Param("e") EventRow event);

    @Select("select order_id, seq, at, device, phase, word, text from order_events where order_id = #{id} order by seq")
    List<EventRow> events(long id);

    @Insert("insert into order_checks (order_id, seq, service, observer, target, proves, holds, seen) values (#{c.orderId}, #{c.seq}, "
            + "#{c.service}, #{c.observer}, #{c.target}, #{c.proves}, #{c.holds}, #{c.seen}) on conflict (order_id, seq) do update set "
            + "observer = excluded.observer, target = excluded.target, proves = excluded.proves, holds = excluded.holds, seen = excluded.seen")
    void addCheck(@Param("c") CheckRow check);

    @Select("select order_id, seq, service, observer, target, proves, holds, seen from order_checks where order_id = #{id} order by seq")
    List<CheckRow> checks(long id);

    @Insert("insert into holds (kind, name, order_id) values (#{kind}, #{name}, #{order}) on conflict do nothing")
    int hold(String kind, String name, long order);

    @Select("select order_id from holds where kind = #{kind} and name = #{name}")
    Optional<Long> holder(String kind, String name);

    @Delete("delete from holds where order_id = #{order}")
    void release(long order);

    @Select("show fsync")
    String fsync();

    @Select("show synchronous_commit")
    String synchronousCommit();
}
