package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;

/** What devices were known to hold, and since when. A trigger of the store writes it with each change. */
@Mapper
public interface SnapshotRecords {

    /**
     * From when on a device was known to hold something else.
     *
     * @param digest of what it held (SHA-256), the same for the same
     * @param orderId the order that had made it so; null where the device was found so
     */
    record SnapshotRow(String device, OffsetDateTime at, String digest, Long orderId) {}

    /** Those of a device before a time, the latest first. */
    @Select("select device, at, digest, order_id from snapshots where device = #{device} and at < #{before} order by at desc limit #{limit}")
    List<SnapshotRow> before(String device, OffsetDateTime before, int limit);

    /** What a device was known to hold at a time; absent where that is not known any more, or was not yet. */
    @Select("select configuration from snapshots join configurations using (device, digest) where device = #{device} and at <= #{at} order by at desc limit 1")
    Optional<String> at(String device, OffsetDateTime at);

    /** Drops what ended so many seconds ago: what a device has held since then stays, and what it holds now. */
    @Delete("""
            delete from snapshots s where s.at < now() - #{seconds} * interval '1 second'
            and exists (select 1 from snapshots l where l.device = s.device and l.at > s.at and l.at < now() - #{seconds} * interval '1 second')""")
    int dropOld(long seconds);

    @Delete("delete from configurations c where not exists (select 1 from snapshots s where s.device = c.device and s.digest = c.digest)")
    int dropUnheld();
}
