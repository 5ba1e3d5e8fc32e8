package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Drafts and their entries. */
@Mapper
public interface DraftRecords {

    /**
     * A draft without its entries.
     *
     * @param version counts the changes of the draft and its entries
     * @param rehearsedBy the order that was its last rehearsal; null where it has had none
     * @param rehearsedVersion its version then
     * @param reservedUntil how long it keeps numbers; null where it has kept none
     */
    record DraftRow(String name, String reason, long version, OffsetDateTime createdAt, String createdBy, Long rehearsedBy, long rehearsedVersion, OffsetDateTime reservedUntil) {}

    /**
     * What becomes of one service.
     *
     * @param standsAs the name under which it stands now, where it does
     * @param kind what an order does with it: ADD, CHANGE, REMOVE, REFRESH or MOVE
     * @param wantedJson its document as an order has it, secrets sealed; of a removal or a refresh nothing but {@code {}}
     * @param afterJson what it is to be, complete where its parameters are valid; {@code {}} where it is to go
     * @param startedJson the same of what it was when the entry was made; {@code {}} where it did not stand
     * @param startedOrder the order that had made it so
     * @param number in the order in which entries came
     * @param orderId the order that carries it out just now
     * @param problemsJson what was wrong with it when the draft was last worked out
     */
    record EntryRow(String draft, String service, String standsAs, String kind, String tenant, String model, String wantedJson, String afterJson, String startedJson, Long startedOrder, String who,
            OffsetDateTime at, long number, Long orderId, String problemsJson) {}

    String DRAFT = "select name, reason, version, created_at, created_by, rehearsed_by, rehearsed_version, reserved_until from drafts";
    String ENTRY = """
            select draft, service, stands_as, kind, tenant, model, wanted_json, after_json, started_json, started_order, who, at, number, order_id, problems_json from draft_entries""";

    @Select(DRAFT + " order by name")
    List<DraftRow> all();

    @Select(DRAFT + " where name = #{name}")
    Optional<DraftRow> draft(String name);

    /** Whoever changes the same draft waits, until the end of the database transaction. */
    @Select(DRAFT + " where name = #{name} for update")
    Optional<DraftRow> held(String name);

    @Insert("insert into drafts (name, reason, created_by) values (#{name}, #{reason}, #{who}) on conflict (name) do nothing")
    int add(String name, String reason, String who);

    @Update("update drafts set reason = #{reason} where name = #{name}")
    void say(String name, String reason);

    @Update("update drafts set version = version + 1 where name = #{name}")
    void changed(String name);

    @Update("update drafts set rehearsed_by = #{order}, rehearsed_version = version where name = #{name}")
    void rehearsed(String name, long order);

    @Update("update drafts set reserved_until = #{until} where name = #{name}")
    void reserved(String name, OffsetDateTime until);

    /** A draft keeps the numbers of entries that it takes from another one as long as that would have. */
    @Update("""
            update drafts d set reserved_until = greatest(d.reserved_until, f.reserved_until) from drafts f where d.name = #{to} and f.name = #{from}
            and exists (select 1 from allocations where reserved_by = #{to})""")
    void reservedAsIn(String to, String from);

    @Delete("delete from drafts where name = #{name}")
    int drop(String name);

    /** The entries of all drafts, without their documents. */
    @Select("""
            select draft, service, stands_as, kind, tenant, model, '{}' as wanted_json, '{}' as after_json, '{}' as started_json, started_order, who, at, number, order_id, problems_json
            from draft_entries order by draft, number""")
    List<EntryRow> allEntries();

    @Select(ENTRY + " where draft = #{draft} order by number")
    List<EntryRow> entries(String draft);

    /** The entries of all drafts that are about services which stand under some names. */
    @Select("<script>" + ENTRY + " where stands_as in <foreach collection='names' item='name' open='(' separator=',' close=')'>#{name}</foreach> order by draft, number</script>")
    List<EntryRow> about(@Param("names") Collection<String> names);

    @Insert("""
            insert into draft_entries (draft, service, stands_as, kind, tenant, model, wanted_json, after_json, started_json, started_order, who)
            values (#{row.draft}, #{row.service}, #{row.standsAs}, #{row.kind}, #{row.tenant}, #{row.model}, #{row.wantedJson}, #{row.afterJson}, #{row.startedJson}, #{row.startedOrder}, #{row.who})
            on conflict (draft, service) do update set stands_as = excluded.stands_as, kind = excluded.kind, tenant = excluded.tenant, model = excluded.model, wanted_json = excluded.wanted_json,
                    after_json = excluded.after_json, started_json = excluded.started_json, started_order = excluded.started_order, who = excluded.who, at = now()""")
    void put(@Param("row") EntryRow row);

    @Delete("delete from draft_entries where draft = #{draft} and service = #{service}")
    int dropEntry(String draft, String service);

    @Update("update draft_entries set draft = #{to} where draft = #{draft} and service = #{service}")
    void move(String draft, String service, String to);

    @Update("update draft_entries set problems_json = #{problems} where draft = #{draft} and service = #{service}")
    void putProblems(String draft, String service, String problems);

    @Update("update draft_entries set order_id = #{order} where draft = #{draft} and service = #{service}")
    void underWay(String draft, String service, long order);

    /** The order of another stage carries out what one has carried out in part. */
    @Update("update draft_entries set order_id = #{next} where order_id in (select id from orders where staged_by = #{first})")
    void passOn(long first, long next);

    /** What an order went on without is to be done still. */
    @Update("update draft_entries set order_id = null where order_id = #{order} and service in (select service from order_left_out where order_id = #{order})")
    void returnedLeftOut(long order);

    /** Drafts of which an order has carried out all that was left. */
    @Delete("""
            delete from drafts d where name in (select draft from draft_entries where order_id = #{order})
            and not exists (select 1 from draft_entries e where e.draft = d.name and e.order_id is distinct from #{order})""")
    void dropCarriedOut(long order);

    @Delete("delete from draft_entries where order_id = #{order}")
    void dropEntriesCarriedOut(long order);

    /** What an order did not do is to be done still. */
    @Update("update draft_entries set order_id = null where order_id = #{order}")
    void returned(long order);

    /** An order's end changes the drafts that it was of. */
    @Update("update drafts set version = version + 1 where name in (select draft from draft_entries where order_id = #{order})")
    void changedBy(long order);

    /** An order has ended: what it has done is intended no more, and what it has not is intended still. */
    default void ended(long order, boolean done) {
        changedBy(order);
        if (done) {
            returnedLeftOut(order);
            dropCarriedOut(order);
            dropEntriesCarriedOut(order);
        } else {
            returned(order);
        }
    }

    /** Entries of which stages that were done have carried out all, where others have not. */
    @Delete("""
            delete from draft_entries e using staged_orders s
            where s.first_order = #{first} and e.order_id in (select id from orders where staged_by = #{first})
            and not exists (select 1 from json_array_elements(s.documents_json::json) with ordinality as d (document, stage)
                    where d.stage > (select coalesce(max(o.stage), 0) from orders o where o.staged_by = #{first} and o.state = 'DONE')
                    and exists (select 1 from json_each(d.document) as f (field, listed), json_array_elements(case json_typeof(listed) when 'array' then listed else '[]' end) as named
                            where f.field in ('services', 'remove', 'refresh', 'move') and e.service in (named ->> 'name', named ->> 'service', named #>> '{}')))""")
    void dropDoneInStages(long first);

    @Select("select id from orders where staged_by = #{first} order by id")
    List<Long> ofStages(long first);

    /** The last order in stages has ended, or no further one begins: what is done is intended no more, and what is not is intended still. */
    default void stagesEnded(long first, String state) {
        List<Long> stages = ofStages(first);
        if (state.equals("STOPPED")) {
            stages.forEach(this::changedBy);
            dropDoneInStages(first);
        }
        stages.forEach(order -> ended(order, state.equals("DONE")));
    }

    /**
     * What somebody has decided about a conflict.
     *
     * @param decision REPLACE, RESTORE, LEAVE or JOIN in small letters
     * @param evidence what the device was known to say there, in its own language; empty where it said nothing
     */
    record DecisionRow(String draft, String device, String path, String decision, String reason, String who, OffsetDateTime at, String evidence) {}

    @Select("select draft, device, path, decision, reason, who, at, evidence from draft_decisions where draft = #{draft} order by device, path")
    List<DecisionRow> decisions(String draft);

    @Insert("""
            insert into draft_decisions (draft, device, path, decision, reason, who, evidence)
            values (#{d.draft}, #{d.device}, #{d.path}, #{d.decision}, #{d.reason}, #{d.who}, #{d.evidence})
            on conflict (draft, device, path) do update set decision = excluded.decision, reason = excluded.reason, who = excluded.who, at = now(), evidence = excluded.evidence""")
    void decide(@Param("d") DecisionRow decision);

    @Delete("delete from draft_decisions where draft = #{draft} and device = #{device} and path = #{path}")
    int dropDecision(String draft, String device, String path);

    /** Another draft that takes entries of one has its decisions as well. */
    @Insert("""
            insert into draft_decisions (draft, device, path, decision, reason, who, at, evidence)
            select #{to}, device, path, decision, reason, who, at, evidence from draft_decisions where draft = #{draft} on conflict do nothing""")
    void copyDecisions(String draft, String to);
}
