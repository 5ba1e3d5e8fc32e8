package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** The log of acts: what waits to be sealed, the chain, its signed heads, and what of it was closed. */
@Mapper
public interface Acts {

    /** Rows that are read at a time where all are. */
    int PAGE = 1_000;

    /** An act that waits to be sealed. */
    record OpenAct(long id, String act) {}

    /** An act in the chain. */
    record SealedAct(long seq, String act, String digest) {}

    /** The chain up to some act: its number, and the digest over all that is before and itself. */
    record Head(long seq, String digest) {}

    /** A head as it was signed and sent out. */
    record SignedHead(long seq, String digest, String at, String signature) {}

    /** A part of the chain whose acts are gone. */
    record Segment(long firstSeq, long lastSeq, String digest, String closedAt, String signature) {}

    /** What acts are asked for; null for what is not asked for. */
    record Search(String who, String what, String about, String since, String until) {}

    @Select("select id from act_log")
    String log();

    /** Not waiting for the disk: the store writes in sequence, so that what is stored for good later comes after it. Nothing where so many wait to be sealed. */
    @Select("""
            with quick as (select set_config('synchronous_commit', 'off', true))
            insert into acts_open (instance, ended, act)
            select #{instance}, false, #{act}::json from quick where (select count(*) from (select 1 from acts_open limit #{most}) waiting) < #{most}
            returning id""")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<Long> begin(String instance, String act, int most);

    @Update("""
            with quick as (select set_config('synchronous_commit', 'off', true))
            update acts_open set ended = true, act = #{act}::json from quick where id = #{id}""")
    int end(long id, String act);

    @Insert("insert into acts_open (instance, ended, act) values (#{instance}, true, #{act}::json)")
    void add(String instance, String act);

    /** How many wait to be sealed, up to a number. */
    @Select("select count(*) from (select 1 from acts_open limit #{most}) waiting")
    int open(int most);

    @Select("select coalesce(extract(epoch from now() - min(begun_at)), 0)::bigint from acts_open where ended")
    long oldestSeconds();

    /** One instance seals at a time. */
    @Select("select pg_try_advisory_xact_lock(7012615)")
    boolean lockChain();

    /** Acts that have ended, and those that their instance will not end any more: it is gone, or it is the one that asks and is not doing them. */
    @Select("""
            select id, act::text as act from acts_open o
            where ended or begun_at < now() - interval '1 minute'
            and (not exists (select from instances i where i.id = o.instance and i.alive_until > now())
                    or o.instance = #{instance} and id not in (select value::bigint from json_array_elements_text(#{underWay}::json)))
            order by id limit #{most}""")
    List<OpenAct> toSealRows(String instance, String underWay, int most);

    default List<OpenAct> toSeal(String instance, Set<Long> underWay, int most) {
        return toSealRows(instance, Json.ROWS.write(underWay), most);
    }

    @Insert("""
            insert into acts (seq, act, digest)
            select seq, act::json, digest from json_to_recordset(#{rows}::json) as rows (seq bigint, act text, digest text)""")
    void addSealedRows(String rows);

    default void addSealed(List<SealedAct> rows) {
        addSealedRows(Json.ROWS.write(rows));
    }

    @Delete("delete from acts_open where id in (select id from json_to_recordset(#{rows}::json) as rows (id bigint))")
    void dropOpenRows(String rows);

    default void dropOpen(List<OpenAct> rows) {
        dropOpenRows(Json.ROWS.write(rows.stream().map(row -> Map.of("id", row.id())).toList()));
    }

    @Select("select seq, digest from acts order by seq desc limit 1")
    Optional<Head> lastSealed();

    @Select("select seq, digest from acts where seq = #{seq}")
    Optional<Head> sealed(long seq);

    @Select("select seq, act::text as act, digest from acts where seq > #{beyond} order by seq limit #{most}")
    List<SealedAct> from(long beyond, int most);

    /** Every act beyond one, in sequence, page by page. */
    default void each(long beyond, Consumer<SealedAct> to) {
        for (List<SealedAct> page = from(beyond, PAGE); !page.isEmpty(); page = from(page.get(page.size() - 1).seq(), PAGE)) {
            page.forEach(to);
        }
    }

    String MATCHES = """
            <where>
                <if test='search.who != null'>and who = #{search.who}</if>
                <if test='search.what != null'>and what = #{search.what}</if>
                <if test='search.about != null'>and about @> to_jsonb(array[#{search.about}::text])</if>
                <if test='search.since != null'>and at &gt;= #{search.since}</if>
                <if test='search.until != null'>and at &lt; #{search.until}</if>
            """;

    /** The latest first. */
    @Select("<script>select seq, act::text as act, digest from acts " + MATCHES + " and seq &lt; #{before}</where> order by seq desc limit #{most}</script>")
    List<SealedAct> found(Search search, long before, int most);

    /** Acts that have ended and wait to be sealed, the latest first. */
    @Select("<script>select id, act::text as act from (select id, act, act ->> 'who' as who, act ->> 'act' as what, act ->> 'at' as at, (act -> 'about')::text::jsonb as about "
            + "from acts_open where ended) open " + MATCHES + "</where> order by id desc limit #{most}</script>")
    List<OpenAct> foundOpen(Search search, int most);

    /** The last act before the first one that began at a time or after it. One that says another time than its neighbours, since an instance's clock was wrong, takes nothing later with it. */
    @Select("select max(seq) from acts where seq < coalesce((select min(seq) from acts where at >= #{at}), 9223372036854775807)")
    Optional<Long> lastBefore(String at);

    /** By the clock of the store. */
    @Select("select clock_timestamp()")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    OffsetDateTime now();

    @Select("select first_seq, last_seq, digest, closed_at, signature from act_segments order by first_seq")
    List<Segment> segments();

    /** Closes all acts up to one: they are gone but for a digest. */
    @Select("select count(close_acts(#{upto}, #{at}, #{signature}))")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    int close(long upto, String at, String signature);

    @Insert("insert into act_heads (seq, digest, at, signature) values (#{seq}, #{digest}, #{at}, #{signature}) on conflict do nothing")
    void addHead(SignedHead head);

    @Select("select seq, digest, at, signature from act_heads order by seq desc limit 1")
    Optional<SignedHead> lastHead();

    @Select("select seq, digest, at, signature from act_heads where seq > #{beyond} order by seq limit #{most}")
    List<SignedHead> heads(long beyond, int most);

    /** Every signed head beyond an act, likewise. */
    default void eachHead(long beyond, Consumer<SignedHead> to) {
        for (List<SignedHead> page = heads(beyond, PAGE); !page.isEmpty(); page = heads(page.get(page.size() - 1).seq(), PAGE)) {
            page.forEach(to);
        }
    }
}
