package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Orders in stages, and how far they are. */
@Mapper
public interface StageRecords {

    /** The stage of an order that takes the others back. */
    int UNDOING = 0;

    /**
     * An order in stages.
     *
     * @param firstOrder the order of its first stage, which it is named by
     * @param documentsJson the order document of each stage
     * @param placesJson of each stage but the last the sites and devices that it was given
     * @param undoes whether a stage that fails takes those before it back; otherwise they stay
     * @param state RUNNING, DONE, STOPPED, UNDOING or UNDONE
     * @param nextStage the stage whose order is to be placed, or {@link #UNDOING}; null while it is there, and at the end
     * @param waitsFor what has kept that order from being placed; or, at the end, why it ended so
     */
    record StagedRow(long firstOrder, String who, String authorsJson, String documentsJson, String placesJson, long pauseSeconds, boolean undoes, boolean inWindow, boolean urgent, boolean oneByOne, String state,
            Integer nextStage, OffsetDateTime nextAt, String waitsFor) {}

    String STAGED = """
            select first_order, who, authors_json, documents_json, places_json, pause_seconds, undoes, in_window, urgent, one_by_one, state, next_stage, next_at, waits_for from staged_orders""";

    @Insert("""
            insert into staged_orders (first_order, who, authors_json, documents_json, places_json, pause_seconds, undoes, in_window, urgent, one_by_one)
            values (#{s.firstOrder}, #{s.who}, #{s.authorsJson}, #{s.documentsJson}, #{s.placesJson}, #{s.pauseSeconds}, #{s.undoes}, #{s.inWindow}, #{s.urgent}, #{s.oneByOne})""")
    void add(@Param("s") StagedRow staged);

    @Update("update orders set staged_by = #{first}, stage = #{stage} where id = #{order}")
    void stage(long order, long first, int stage);

    /** Which stage of which order an order is. */
    record Stage(long firstOrder, int stage) {}

    @Select("select staged_by as first_order, stage from orders where id = #{order} and staged_by is not null")
    Optional<Stage> stageOf(long order);

    @Select(STAGED + " where first_order = #{first}")
    Optional<StagedRow> staged(long first);

    /** The order of a stage, and how it stands. */
    record StageOrder(int stage, long id, String state, boolean rollingBack) {}

    @Select("select stage, id, state, rolling_back from orders where staged_by = #{first} order by id")
    List<StageOrder> orders(long first);

    /** Those of which an order is to be placed by now. */
    @Select(STAGED + " where next_at <= now() order by next_at")
    List<StagedRow> due();

    /** The order of a stage is there; 0 rows where that is not what is to be placed any more. */
    @Update("update staged_orders set next_stage = null, next_at = null, waits_for = '' where first_order = #{first} and next_stage = #{stage}")
    int placed(long first, int stage);

    @Update("update staged_orders set next_at = now() + #{seconds} * interval '1 second', waits_for = #{why} where first_order = #{first} and next_stage = #{stage}")
    void postpone(long first, int stage, long seconds, String why);

    /**
     * How an order in stages goes on.
     *
     * @param nextStage as in {@link StagedRow}
     */
    record GoesOn(long firstOrder, String state, Integer nextStage) {}

    /** An order has ended: where it is a stage, what that makes of the order in stages; absent where it is none. */
    @Select(affectData = true, value = """
            update staged_orders s set
                state = case
                    when #{done} and o.stage = 0 then 'UNDONE'
                    when #{done} and o.stage = json_array_length(s.documents_json::json) then 'DONE'
                    when #{done} then s.state
                    when s.undoes and o.stage > 1 then 'UNDOING'
                    else 'STOPPED' end,
                next_stage = case when #{done} and o.stage > 0 and o.stage < json_array_length(s.documents_json::json) and s.state = 'RUNNING' then o.stage + 1 when not #{done} and s.undoes and o.stage > 1 then 0 end,
                next_at = case when #{done} and o.stage > 0 and o.stage < json_array_length(s.documents_json::json) and s.state = 'RUNNING' then now() + s.pause_seconds * interval '1 second'
                    when not #{done} and s.undoes and o.stage > 1 then now() end
            from orders o where o.id = #{order} and s.first_order = o.staged_by and s.state in ('RUNNING', 'UNDOING')
            returning s.first_order, s.state, s.next_stage""")
    Optional<GoesOn> ended(long order, boolean done);

    /** A stage cannot be placed: those before it stay, or are taken back. */
    @Update("""
            update staged_orders set waits_for = #{why},
                state = case when undoes and next_stage > 1 then 'UNDOING' else 'STOPPED' end,
                next_stage = case when undoes and next_stage > 1 then 0 end,
                next_at = case when undoes and next_stage > 1 then now() end
            where first_order = #{first} and next_stage = #{stage}""")
    void fails(long first, int stage, String why);

    /** There is nothing to do in a stage. */
    @Update("""
            update staged_orders set waits_for = '',
                state = case when next_stage = 0 then 'UNDONE' when next_stage = json_array_length(documents_json::json) then 'DONE' else state end,
                next_stage = case when next_stage > 0 and next_stage < json_array_length(documents_json::json) then next_stage + 1 end,
                next_at = case when next_stage > 0 and next_stage < json_array_length(documents_json::json) then now() end
            where first_order = #{first} and next_stage = #{stage}""")
    void skip(long first, int stage);

    /** No further stage is placed; 0 rows where none was to be. */
    @Update("update staged_orders set state = 'STOPPED', next_stage = null, next_at = null, waits_for = #{why} where first_order = #{first} and state in ('RUNNING', 'UNDOING') and next_at is not null")
    int stop(long first, String why);
}
