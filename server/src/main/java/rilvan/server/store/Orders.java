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
import rilvan.core.transaction.State;

/** Orders, their journal, what they hold, and what became of them. */
@Mapper
public interface Orders {

    record OrderRow(long id, String who, String reason, String document, String state, long epoch, String token,
            String guarantee, String planJson, String sessionsJson, String failure, OffsetDateTime createdAt, OffsetDateTime endedAt,
            String agreed, boolean rollingBack, boolean byService, String faultsJson, boolean driven, String servicesJson, String numbersJson, boolean rehearsal,
            OffsetDateTime startAt, OffsetDateTime startBy, boolean inWindow, boolean urgent, String authorsJson, String agreementJson, String agreedBy, OffsetDateTime agreedAt, int devices,
            Long stagedBy, Integer stage, boolean oneByOne) {

        /** The state that people see: any way back is rolling back, whatever the last record of the journal. */
        public State shownState() {
            return State.valueOf(state).shown(rollingBack);
        }

        public OrderHead head() {
            return new OrderHead(id, who, reason, state, guarantee, failure, createdAt, endedAt, rollingBack, faultsJson, driven, servicesJson, rehearsal, startAt, startBy, inWindow, urgent, agreementJson, agreedBy, agreedAt,
                    stagedBy, stage);
        }
    }

    /** An order as lists show it, without its document and plan, which may be long. */
    record OrderHead(long id, String who, String reason, String state, String guarantee, String failure, OffsetDateTime createdAt, OffsetDateTime endedAt,
            boolean rollingBack, String faultsJson, boolean driven, String servicesJson, boolean rehearsal, OffsetDateTime startAt, OffsetDateTime startBy, boolean inWindow, boolean urgent,
            String agreementJson, String agreedBy, OffsetDateTime agreedAt, Long stagedBy, Integer stage) {

        public State shownState() {
            return State.valueOf(state).shown(rollingBack);
        }
    }

    /** What becomes of a service in an order. */
    record ServiceKind(String service, String kind, String componentOf) {}

    /** A device's part; its kind is how it was to be handled when the order was planned. */
    record PartRow(long orderId, String device, String kind, String changesJson, String ledgerJson, String linesJson) {}

    /** A device or service that an order holds, or wants. */
    record Claim(String kind, String name) {}

    /** A service that an order went on without. */
    record LeftOut(long orderId, String service, String why) {}

    /** Whoever cancelled an order. */
    record Cancellation(long id, String who) {}

    record EventRow(long orderId, int seq, OffsetDateTime at, String device, String phase, String result, String text) {}

    /**
     * A check that was made for an order.
     *
     * @param passedBefore whether it passed before the order changed anything; absent where it was not run then
     * @param path of a failed check: the devices that a packet passed, there and back; empty where that was not asked
     */
    record CheckRow(long orderId, int seq, String service, String observation, String observer, String target, String covers, boolean passed, String value,
            Boolean passedBefore, String valueBefore, String path) {}

    String COLUMNS = """
            id, who, reason, document, state, epoch, token, guarantee, plan_json, sessions_json, failure, created_at, ended_at, agreed,
                    rolling_back, by_service, faults_json,
            exists (select 1 from instances where instances.id = driver and alive_until > now()) as driven, services_json, numbers_json, rehearsal,
            start_at, start_by, in_window, urgent, authors_json, agreement_json, agreed_by, agreed_at, devices, staged_by, stage, one_by_one""";

    /** Of an order that has begun and not ended; the others hold nothing and are driven by nobody. */
    String UNDER_WAY = "ended_at is null and state not in ('AWAITING_AGREEMENT', 'SCHEDULED', 'WAITING')";

    String UNBEGUN = "state in ('AWAITING_AGREEMENT', 'SCHEDULED', 'WAITING')";

    String HEAD = """
            id, who, reason, state, guarantee, failure, created_at, ended_at, rolling_back, faults_json,
            exists (select 1 from instances where instances.id = driver and alive_until > now()) as driven, services_json, rehearsal,
            start_at, start_by, in_window, urgent, agreement_json, agreed_by, agreed_at, staged_by, stage""";

    /**
     * An order as it is placed.
     *
     * @param state WAITING, or what it waits for before that
     * @param key an idempotency key, and
     * @param digest of what was asked for with it
     * @param agreed the digest of the preview that whoever places it has seen; null where none was
     * @param authorsJson who prepared it
     * @param agreementJson why another person is to agree to it; none where nobody is
     * @param devices on which it changes something
     * @param servicesJson what becomes of which services, as far as is known before it begins
     * @param oneByOne whether one device changes after another
     */
    record NewOrder(String who, String reason, String document, String state, String token, String key, String digest, String agreed, boolean byService, boolean rehearsal, OffsetDateTime startAt,
            OffsetDateTime startBy, boolean inWindow, boolean urgent, String authorsJson, String agreementJson, int devices, String servicesJson, boolean oneByOne) {}

    @Select(affectData = true, value = """
            insert into orders (who, reason, document, state, token, guarantee, plan_json, idempotency_key, document_digest, agreed,
                    by_service, rehearsal, start_at, start_by, in_window, urgent, authors_json, agreement_json, devices, services_json, one_by_one)
            values (#{o.who}, #{o.reason}, #{o.document}, #{o.state}, #{o.token}, '', '', #{o.key}, #{o.digest}, #{o.agreed}, #{o.byService}, #{o.rehearsal}, #{o.startAt}, #{o.startBy}, #{o.inWindow}, #{o.urgent},
                    #{o.authorsJson}, #{o.agreementJson}, #{o.devices}, #{o.servicesJson}, #{o.oneByOne})
            returning id""")
    long add(@Param("o") NewOrder order);

    /** The PLANNED record of an order in line. */
    @Update("""
            update orders
            set state = 'PLANNED', guarantee = #{guarantee}, plan_json = #{plan}, services_json = #{services}, driver = #{driver}, numbers_json = '[]',
                    devices = #{devices}, opened_at = now()
            where id = #{id} and state = 'WAITING'""")
    int open(long id, String guarantee, String plan, String services, String driver, int devices);

    /** An order that has not begun keeps these numbers. */
    @Update("update orders set numbers_json = #{numbers} where id = #{id} and " + UNBEGUN)
    void keepNumbers(long id, String numbers);

    /** Ends an order that has not begun; gives the numbers that it kept. */
    @Select(affectData = true, value = """
            update orders set state = 'ROLLED_BACK', failure = #{failure}, ended_at = now() where id = #{id} and\s""" + UNBEGUN + " returning numbers_json")
    Optional<String> leaveLine(long id, String failure);

    /** Somebody has agreed to what a digest names. */
    @Update("update orders set agreed = #{digest}, agreed_by = #{who}, agreed_at = now(), state = #{state} where id = #{id} and state = 'AWAITING_AGREEMENT'")
    int agreed(long id, String digest, String who, String state);

    /** What was agreed to is not what the order would do now. */
    @Update("update orders set state = 'AWAITING_AGREEMENT', agreed = null, agreed_by = null, agreed_at = null where id = #{id} and state = 'WAITING'")
    void agreementLapses(long id);

    @Update("update orders set state = 'WAITING' where id = #{id} and state = 'SCHEDULED'")
    void comesIntoLine(long id);

    /** An order leaves the line until it is looked at again. */
    @Update("update orders set state = 'SCHEDULED' where id = #{id} and state = 'WAITING'")
    void postpone(long id);

    /** An order that has not begun within its window takes another one. */
    @Update("""
            update orders set state = case state when 'AWAITING_AGREEMENT' then state else 'SCHEDULED' end, start_at = #{start}, start_by = #{latest} where id = #{id} and\s""" + UNBEGUN)
    void nextWindow(long id, OffsetDateTime start, OffsetDateTime latest);

    /** How long an order took from when its turn came, over how many devices. */
    record Took(int devices, double seconds) {}

    /** The latest orders that were done over as many devices as given, or over next more and next fewer. */
    @Select("""
            (select devices, extract(epoch from ended_at - opened_at) as seconds from orders
             where state = 'DONE' and opened_at is not null and devices >= #{devices} order by devices, id desc limit #{limit})
            union all
            (select devices, extract(epoch from ended_at - opened_at) from orders
             where state = 'DONE' and opened_at is not null and devices < #{devices} order by devices desc, id desc limit #{limit})""")
    List<Took> took(int devices, int limit);

    /** Lets one at a time into the line and out of it, until the end of the database transaction. */
    @Select("select 1 from pg_advisory_xact_lock(7458)")
    int lockLine();

    @Select("select count(*) from orders where state = 'WAITING'")
    long countWaiting();

    @Select("select count(*) from orders where " + UNDER_WAY)
    long countRunning();

    @Select("select " + COLUMNS + " from orders where state = 'WAITING' order by id")
    List<OrderRow> waiting();

    @Insert("insert into wants (order_id, kind, name) select #{order}, kind, name from json_to_recordset(#{claims}::json) as c(kind text, name text) on conflict do nothing")
    void wantRows(long order, String claims);

    default void want(long order, List<Claim> claims) {
        wantRows(order, Json.ROWS.write(claims));
    }

    @Delete("delete from wants where order_id = #{order}")
    void wantNothing(long order);

    /** The orders that one in line waits behind: those that hold what it wants, and those that wanted it earlier. */
    @Select("""
            select h.order_id as ahead
            from wants w
            join holds h on h.kind = w.kind and h.name = w.name
            where w.order_id = #{order}
            union
            select e.order_id
            from wants w
            join wants e on e.kind = w.kind and e.name = w.name and e.order_id < w.order_id
            where w.order_id = #{order}
            order by ahead""")
    List<Long> ahead(long order);

    /** What one in line wants of another order's. */
    @Select("""
            select w.kind, w.name
            from wants w
            where w.order_id = #{order}
            and (exists (select 1 from holds h where h.kind = w.kind and h.name = w.name and h.order_id = #{other})
                    or exists (select 1 from wants e where e.kind = w.kind and e.name = w.name and e.order_id = #{other}))
            order by w.kind, w.name""")
    List<Claim> contested(long order, long other);

    /**
     * Orders that have ended so many seconds ago and have their lines, steps and checks, but for those that are the last word on a service that stands. They are this
     * transaction's from then on.
     */
    @Select("""
            select o.id from orders o
            where o.ended_at < now() - #{seconds} * interval '1 second' and o.thinned_at is null
            and not exists (select 1 from service_history h join services s on s.name = h.service
                    where h.order_id = o.id and h.order_id = (select max(l.order_id) from service_history l where l.service = h.service))
            order by o.ended_at limit #{most}
            for update of o skip locked""")
    List<Long> toThin(long seconds, int most);

    String OF_ORDERS = " = any(array[<foreach collection='orders' item='o' separator=','>#{o}</foreach>]::bigint[])</script>";

    @Delete("<script>delete from order_events where order_id" + OF_ORDERS)
    int dropSteps(@Param("orders") List<Long> orders);

    @Delete("<script>delete from order_checks where order_id" + OF_ORDERS)
    int dropChecks(@Param("orders") List<Long> orders);

    @Delete("<script>delete from order_parts where order_id" + OF_ORDERS)
    int dropLines(@Param("orders") List<Long> orders);

    @Update("<script>update orders set thinned_at = now(), plan_json = '', sessions_json = '{}' where id" + OF_ORDERS)
    int thinned(@Param("orders") List<Long> orders);

    @Select("select thinned_at from orders where id = #{id}")
    Optional<OffsetDateTime> thinnedAt(long id);

    @Update("update orders set cancelled_by = #{who} where id = #{id} and ended_at is null")
    int cancel(long id, String who);

    /** Cancels all that are under way and not decided. */
    @Update("update orders set cancelled_by = #{who} where cancelled_by is null and state <> 'DECIDED' and " + UNDER_WAY)
    void cancelUnderWay(String who);

    @Select("select id, cancelled_by as who from orders where driver = #{driver} and cancelled_by is not null and ended_at is null")
    List<Cancellation> cancellations(String driver);

    /**
     * What somebody saw on a device that is in doubt.
     *
     * @param holdsAfter whether it holds the state after the order; otherwise that before it
     */
    record Resolution(long id, long orderId, String device, boolean holdsAfter, String who) {}

    @Insert("""
            insert into resolutions (order_id, device, holds_after, who)
            select id, #{device}, #{holdsAfter}, #{who} from orders where id = #{order} and\s""" + UNDER_WAY)
    int resolve(long order, String device, boolean holdsAfter, String who);

    @Select("""
            select resolutions.id, order_id, device, holds_after, resolutions.who from resolutions join orders on orders.id = order_id
            where driver = #{driver} order by resolutions.id""")
    List<Resolution> resolutions(String driver);

    /** A statement is taken up once: what it says was true when it was made. */
    @Delete("delete from resolutions where id = #{id}")
    int takeUp(long id);

    @Delete("delete from resolutions where order_id = #{order}")
    void dropResolutions(long order);

    /** Says that an instance is alive, for a number of milliseconds by the database's clock; answers what that shows. */
    @Select(affectData = true, value = """
            insert into instances (id, alive_until)
            values (#{id}, now() + #{millis} * interval '1 millisecond')
            on conflict (id) do update set alive_until = excluded.alive_until
            returning now()""")
    OffsetDateTime alive(String id, long millis);

    @Delete("delete from instances where id = #{id} or alive_until < now() - interval '1 day'")
    void leave(String id);

    /** An order that was placed with an idempotency key, and the digest of its document; absent where it was not kept yet. */
    record Keyed(long id, String documentDigest) {}

    @Select("select id, document_digest from orders where who = #{who} and idempotency_key = #{key}")
    Optional<Keyed> byIdempotencyKey(String who, String key);

    @Select("select " + COLUMNS + " from orders where id = #{id}")
    Optional<OrderRow> order(long id);

    /**
     * An order under way that an instance has to see to.
     *
     * @param ours whether it is this instance's to drive; otherwise no living one's
     */
    record UnderWay(long id, long epoch, boolean ours) {}

    @Select("""
            select id, epoch, coalesce(driver = #{member}, false) as ours
            from orders
            where\s""" + UNDER_WAY + """
             and (driver = #{member} or not exists (select 1 from instances where instances.id = driver and alive_until > now()))
            order by id""")
    List<UnderWay> toSeeTo(String member);

    /** The epoch of an order and its state, where that epoch is the given one. */
    @Select("select state from orders where id = #{id} and epoch = #{epoch}")
    Optional<String> stateAt(long id, long epoch);

    /** The same, and nobody else takes the order over until the database transaction ends. */
    @Select("select state from orders where id = #{id} and epoch = #{epoch} for no key update")
    Optional<String> heldAt(long id, long epoch);

    /**
     * Which orders are looked for; what is null is not asked for.
     *
     * @param before only those placed before this one, the latest first
     * @param beyond only those placed after this one, the earliest first; null where the latest come first
     * @param state as people see it: an order on its way back is ROLLING_BACK
     * @param by who placed it
     * @param service that it is about
     * @param tenant whom it is for
     * @param device which it changes, or was to change
     * @param scopes what somebody sees, as the function {@code order_seen} takes it
     */
    record Wanted(long before, Long beyond, String state, String by, String service, String tenant, String device, OffsetDateTime since, OffsetDateTime until, String scopes) {}

    @Select("<script>select " + HEAD + """
             from orders where id &lt; #{w.before}
            <if test="w.beyond != null">and id &gt; #{w.beyond}</if>
            <if test="w.state != null">and case when rolling_back and ended_at is null then 'ROLLING_BACK' else state end = #{w.state}
                <if test="w.state != 'ROLLING_BACK'">and state = #{w.state}</if></if>
            <if test="w.by != null">and who = #{w.by}</if>
            <if test="w.service != null">and id in (select order_id from order_scope where kind = 'service' and name = #{w.service})</if>
            <if test="w.tenant != null">and id in (select order_id from order_scope where kind = 'tenant' and name = #{w.tenant})</if>
            <if test="w.device != null">and id in (select order_id from order_scope where kind = 'device' and name = #{w.device})</if>
            <if test="w.since != null">and created_at &gt;= #{w.since}</if>
            <if test="w.until != null">and created_at &lt; #{w.until}</if>
            <if test="w.scopes != null">and order_seen(id, #{w.scopes}::json)</if>
            order by id <if test="w.beyond == null">desc</if> limit #{limit}</script>""")
    List<OrderHead> wanted(@Param("w") Wanted wanted, @Param("limit") int limit);

    @Update("update order_scope set name = #{name} where kind = 'service' and name = #{formerly} and order_id not in (select order_id from order_scope where kind = 'service' and name = #{name})")
    void renameInScope(String formerly, String name);

    @Select("select order_seen(#{id}, #{scopes}::json)")
    boolean seen(long id, String scopes);

    /** A tenant that an order is for (kind tenant) or that its services refer to (referred), a site of its devices (site), a device that it changes (device), or a service that it is about (service). */
    record InScope(String kind, String name) {}

    @Insert("insert into order_scope (order_id, kind, name) select #{order}, kind, name from json_to_recordset(#{rows}::json) as s(kind text, name text) on conflict do nothing")
    void addScopeRows(long order, String rows);

    default void addScope(long order, Collection<InScope> scope) {
        addScopeRows(order, Json.ROWS.write(scope));
    }

    /** Whom an order is for (kind tenant), or at which sites it is (kind site). */
    @Select("select name from order_scope where order_id = #{id} and kind = #{kind} order by name")
    List<String> scope(long id, String kind);

    /** The journal: one record after another, only by whoever has the right to drive the order. */
    @Update("""
            update orders
            set state = #{state}, failure = #{failure}, sessions_json = #{sessions}, ended_at = case when #{ended} then now() end
            where id = #{id} and state = #{expected} and epoch = #{epoch}""")
    int record(long id, long epoch, String expected, String state, String failure, String sessions, boolean ended);

    /** What a device complained of, where the order fails for that. */
    @Update("update orders set faults_json = #{faults} where id = #{id} and epoch = #{epoch}")
    void faults(long id, long epoch, String faults);

    /** Notes whether an order that has not ended is on its way back. What is lost of it is found out again by whoever drives the order. */
    @Update("update orders set rolling_back = #{rollingBack} where id = #{id} and epoch = #{epoch}")
    void rollingBack(long id, long epoch, boolean rollingBack);

    /** A further attempt without those at fault: what it comes to from now on. */
    @Update("update orders set guarantee = #{guarantee}, plan_json = #{plan}, services_json = #{services} where id = #{id} and epoch = #{epoch}")
    int replan(long id, long epoch, String guarantee, String plan, String services);

    @Delete("delete from order_parts where order_id = #{order}")
    void dropParts(long order);

    @Insert("insert into order_left_out (order_id, service, why) values (#{order}, #{service}, #{why}) on conflict do nothing")
    void leaveOut(long order, String service, String why);

    /** What orders of a range went on without. */
    @Select("select order_id, service, why from order_left_out where order_id between #{first} and #{last} order by order_id, service")
    List<LeftOut> leftOut(long first, long last);

    /** Takes over the right to drive an order that is under way. */
    @Update("update orders set epoch = epoch + 1, driver = #{driver} where id = #{id} and epoch = #{epoch} and ended_at is null")
    int takeOver(long id, long epoch, String driver);

    /** Gives up the right to drive an order. */
    @Update("update orders set driver = null where id = #{id} and epoch = #{epoch}")
    void letGo(long id, long epoch);

    @Insert("""
            insert into order_parts (order_id, device, kind, changes_json, ledger_json, lines_json)
            select "orderId", device, kind, "changesJson", "ledgerJson", "linesJson"
            from json_to_recordset(#{parts}::json) as p("orderId" bigint, device text, kind text, "changesJson" text, "ledgerJson" text, "linesJson" text)""")
    void addPartRows(String parts);

    default void addParts(List<PartRow> parts) {
        addPartRows(Json.ROWS.write(parts));
    }

    @Select("select order_id, device, kind, changes_json, ledger_json, lines_json from order_parts where order_id = #{id} order by device")
    List<PartRow> parts(long id);

    @Insert("""
            insert into order_events (order_id, seq, at, device, phase, result, text)
            select "orderId", seq, at, device, phase, result, text
            from json_to_recordset(#{events}::json) as e("orderId" bigint, seq int, at timestamptz, device text, phase text, result text, text text)
            on conflict do nothing""")
    void addEventRows(String events);

    default void addEvents(List<EventRow> events) {
        if (!events.isEmpty()) {
            addEventRows(Json.ROWS.write(events));
        }
    }

    @Select("select order_id, seq, at, device, phase, result, text from order_events where order_id = #{id} order by seq")
    List<EventRow> events(long id);

    @Insert("""
            insert into order_checks (order_id, seq, service, observation, observer, target, covers, passed, value, passed_before,
                    value_before, path)
            select "orderId", seq, service, observation, observer, target, covers, passed, value, "passedBefore", "valueBefore", path
            from json_to_recordset(#{checks}::json) as c("orderId" bigint, seq int, service text, observation text, observer text, target text, covers text,
                    passed boolean, value text, "passedBefore" boolean, "valueBefore" text, path text)
            on conflict (order_id, seq) do update set service = excluded.service, observation = excluded.observation, passed_before = excluded.passed_before,
                    value_before = excluded.value_before, observer = excluded.observer, target = excluded.target, covers = excluded.covers,
                    passed = excluded.passed, value = excluded.value, path = excluded.path""")
    void addCheckRows(String checks);

    default void addChecks(List<CheckRow> checks) {
        if (!checks.isEmpty()) {
            addCheckRows(Json.ROWS.write(checks));
        }
    }

    @Select("""
            select order_id, seq, service, observation, observer, target, covers, passed, value, passed_before, value_before, path
            from order_checks
            where order_id = #{id}
            order by seq""")
    List<CheckRow> checks(long id);

    @Insert("insert into holds (kind, name, order_id) select kind, name, #{order} from json_to_recordset(#{claims}::json) as c(kind text, name text) on conflict do nothing")
    int holdRows(long order, String claims);

    /** Holds what it can; whether it is all. */
    default boolean hold(long order, List<Claim> claims) {
        return holdRows(order, Json.ROWS.write(claims)) == claims.size();
    }

    @Select("select order_id from holds where kind = #{kind} and name = #{name}")
    Optional<Long> holder(String kind, String name);

    @Delete("delete from holds where order_id = #{order}")
    void release(long order);

    @Select("show fsync")
    String fsync();

    @Select("show synchronous_commit")
    String synchronousCommit();
}
