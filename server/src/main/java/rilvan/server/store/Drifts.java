package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.List;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** Managed nodes that say something else on their device than in the ledger, as they were found. */
@Mapper
public interface Drifts {

    /**
     * A node that has drifted.
     *
     * @param ordered the value that was ordered; null where nothing was, and the node was put into what services have whole
     * @param found the value on the device; null where the node is gone
     * @param services those that own the node, separated by commas
     * @param foundAt when a reading first showed it
     * @param readAt the last reading that shows it
     * @param leftBy who decided to leave it as it is; null where nobody did
     * @param changedBy who has changed it, where the device said so; null where it did not
     * @param leftUntil when somebody is to decide again; null where that is not said
     */
    record DriftRow(String device, String path, String ordered, String found, String services, OffsetDateTime foundAt, OffsetDateTime readAt,
            String leftBy, OffsetDateTime leftAt, String reason, OffsetDateTime leftUntil, String changedBy) {}

    String ROWS = """
            select f.device, f.path, f.ordered, f.found, array_to_string(f.services, ',') as services, f.found_at, d.read_at, f.left_by, f.left_at, f.reason, f.left_until, f.changed_by
            from drift f
            join devices d on d.name = f.device""";

    @Select(ROWS + " order by f.device, f.path")
    List<DriftRow> all();

    @Select(ROWS + " where f.device = #{device} order by f.path")
    List<DriftRow> on(String device);

    /** Those of some devices on which something has drifted. */
    @Select("<script>select distinct device from drift where device" + Among.DEVICES + " order by device</script>")
    List<String> among(@Param("devices") Collection<String> devices);

    @Select(ROWS + " where #{service} = any(f.services) order by f.device, f.path")
    List<DriftRow> of(String service);

    @Insert("""
            insert into drift (device, path, ordered, found, services, changed_by)
            values (#{row.device}, #{row.path}, #{row.ordered}, #{row.found}, string_to_array(#{row.services}, ','), #{row.changedBy})
            on conflict (device, path) do update set ordered = excluded.ordered, found = excluded.found, services = excluded.services, changed_by = excluded.changed_by,
                    found_at = now(), left_by = null, left_at = null, reason = null, left_until = null""")
    void found(@Param("row") DriftRow row);

    @Delete("delete from drift where device = #{device} and path = #{path}")
    void settled(String device, String path);

    @Update("""
            update drift
            set left_by = #{who}, left_at = now(), reason = #{reason}, left_until = #{until}
            where device = #{device} and path = #{path}""")
    int leave(@Param("device") String device, @Param("path") String path, @Param("who") String who, @Param("reason") String reason, @Param("until") OffsetDateTime until);

    /** Somebody is to decide again about what was left until now; the devices where that is so. */
    @Select(affectData = true, value = "update drift set left_by = null, left_at = null, reason = null, left_until = null where left_until <= now() returning device")
    List<String> leftUntilNow();
}
