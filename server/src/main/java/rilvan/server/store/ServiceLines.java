package rilvan.server.store;

import java.util.Collection;
import java.util.List;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** What services said on devices, in these devices' own language. */
@Mapper
public interface ServiceLines {

    /**
     * What a service says on a device from an order on.
     *
     * @param before what it said there until then; empty where that was nothing
     * @param lines empty where it says nothing there any more
     */
    record LinesChange(String service, String device, String before, String lines) {}

    /** What a service said on a device. */
    record DeviceLines(String device, String lines) {}

    @Insert("""
            insert into service_lines (service, device, order_id, lines)
            select c.service, c.device, #{order}, c.lines from json_to_recordset(#{changes}::json) as c(service text, device text, lines text)
            on conflict do nothing""")
    void addRows(long order, String changes);

    /** What was said before anything was kept is kept with the version that said it. */
    @Insert("""
            insert into service_lines (service, device, order_id, lines)
            select c.service, c.device, h.order_id, c.before
            from json_to_recordset(#{changes}::json) as c(service text, device text, before text)
            cross join lateral (select order_id from service_history where service = c.service and order_id < #{order} order by order_id desc limit 1) h
            where c.before <> '' and not exists (select 1 from service_lines l where l.service = c.service and l.device = c.device)
            on conflict do nothing""")
    void addBeforeRows(long order, String changes);

    /** From an order on. The versions of its services are stored before. */
    default void add(long order, Collection<LinesChange> changes) {
        if (!changes.isEmpty()) {
            String rows = Json.ROWS.write(changes);
            addBeforeRows(order, rows);
            addRows(order, rows);
        }
    }

    /** What a service said on each device after an order, as far as it is known; devices on which it said nothing are not there. */
    @Select("""
            select device, lines
            from (select distinct on (device) device, lines from service_lines where service = #{service} and order_id <= #{order} order by device, order_id desc) latest
            where lines <> ''
            order by device""")
    List<DeviceLines> after(String service, long order);

    @Update("update service_lines set service = #{name} where service = #{formerly}")
    void rename(String formerly, String name);

    /** Drops what was said until orders that ended so many seconds ago: what has been said since then stays, and what is said now. */
    @Delete("""
            delete from service_lines l
            using service_lines later, orders o
            where later.service = l.service and later.device = l.device and (later.order_id > l.order_id or later.order_id = l.order_id and l.lines = '')
            and o.id = later.order_id and o.ended_at < now() - #{seconds} * interval '1 second'""")
    int dropOld(long seconds);
}
