package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** The network document, what is known of each device, and the ledgers. */
@Mapper
public interface Inventory {

    /** A device's row; what the network document says of it is not repeated here. */
    record DeviceRow(String name, String hostKey, String configuration, OffsetDateTime readAt, long version) {}

    record LedgerRow(String device, String path, String value, String prior, String ownersJson) {}

    /** The network document, and how many were loaded until this one. */
    record NetworkRow(long version, String document) {}

    /** Makes others who load a network wait, until the end of the database transaction. */
    @Select("select 1 from pg_advisory_xact_lock(7462)")
    int lockNetwork();

    @Select("select version from network")
    Optional<Long> networkVersion();

    @Select("select version, document from network")
    Optional<NetworkRow> network();

    @Insert("insert into network (document) values (#{document}) on conflict (the_one) do update set document = excluded.document, version = network.version + 1")
    void putNetwork(String document);

    @Insert("insert into devices (name) values (#{name}) on conflict do nothing")
    void addDevice(String name);

    @Select("select name, host_key, configuration, read_at, version from devices where name = #{name}")
    Optional<DeviceRow> device(String name);

    @Select("select name, host_key, configuration, read_at, version from devices order by name")
    List<DeviceRow> devices();

    /** How often a device's configuration or ledger has changed so far. */
    record DeviceVersion(String name, long version) {}

    @Select("<script>select name, version from devices where name" + Among.DEVICES + "</script>")
    List<DeviceVersion> versions(@Param("devices") Collection<String> devices);

    /** What a list shows of a device; without its configuration, which may be long. */
    record DeviceSummary(String name, boolean trusted, OffsetDateTime readAt, Long heldBy, long drifted) {}

    String SUMMARIES = """
            select d.name, d.host_key is not null as trusted, d.read_at, h.order_id as held_by,
                    (select count(*) from drift f where f.device = d.name and f.left_by is null) as drifted
            from devices d
            left join holds h on h.kind = 'device' and h.name = d.name""";

    @Select("<script>" + SUMMARIES + " where d.name" + Among.DEVICES + "</script>")
    List<DeviceSummary> summaries(@Param("devices") Collection<String> devices);

    @Select(SUMMARIES + " where d.name = #{name}")
    Optional<DeviceSummary> summary(String name);

    @Select("select version from access_version")
    long accessVersion();

    /** How devices are reached or signed in to has changed. */
    @Update("update access_version set version = version + 1")
    void accessChanged();

    /** The fingerprints of a device that are trusted. */
    record HostKey(String device, String fingerprints) {}

    @Select("<script>select name as device, host_key as fingerprints from devices where host_key is not null and name " + Among.DEVICES + "</script>")
    List<HostKey> hostKeys(Collection<String> devices);

    @Update("update devices set host_key = #{hostKey} where name = #{name}")
    int trust(String name, String hostKey);

    /** What an order has made of devices; not a reading of the whole. */
    @Update("update devices d set configuration = c.configuration, version = version + 1 from json_to_recordset(#{rows}::json) as c(device text, configuration text) where d.name = c.device")
    void putConfigurationRows(String rows);

    /** The configuration of a device. */
    record DeviceConfiguration(String device, String configuration) {}

    default void putConfigurations(List<DeviceConfiguration> configurations) {
        putConfigurationRows(Json.ROWS.write(configurations));
    }

    /** A whole reading; the version moves where it says something else than was known; nothing where the device has changed since a version, or an order holds it. */
    @Update("""
            update devices
            set version = version + case when configuration is distinct from #{configuration} then 1 else 0 end, configuration = #{configuration}, read_at = now(), compared = true
            where name = #{name} and version = #{version} and not exists (select 1 from holds h where h.kind = 'device' and h.name = #{name})""")
    int putReading(String name, long version, String configuration);

    /** A whole reading that says what the last one said; nothing where that one was not compared with what was ordered, the device has changed since a version, or an order holds it. */
    @Update("""
            update devices
            set read_at = now()
            where name = #{name} and version = #{version} and compared
            and not exists (select 1 from holds h where h.kind = 'device' and h.name = #{name})""")
    int stillAsRead(String name, long version);

    /** The devices that were read longest ago of those whose last reading is so old and that no order holds; none that was never read. */
    @Select("""
            select d.name
            from devices d
            where d.host_key is not null and d.read_at < now() - #{seconds} * interval '1 second'
            and not exists (select 1 from holds h where h.kind = 'device' and h.name = d.name)
            order by d.read_at""")
    List<String> dueForReading(long seconds);

    /** Devices of which it is known what they hold. */
    @Select("select name from devices where host_key is not null and read_at is not null order by name")
    List<String> devicesThatWereRead();

    /** The instances of the service that are alive. */
    @Select("select id from instances where alive_until > now() order by id")
    List<String> aliveInstances();

    /** What orders are planned from on a device has changed. */
    @Update("update devices set version = version + 1 where name = #{name}")
    void moved(String name);

    /** When the device among some that was read longest ago was read. */
    @Select("<script>select min(read_at) from devices where name" + Among.DEVICES + "</script>")
    OffsetDateTime oldestReading(@Param("devices") Collection<String> devices);

    /** How a change of the device can be undone, by what it said; nothing where it was never spoken to. */
    @Select("select kind from devices where name = #{name}")
    Optional<String> kind(String name);

    @Update("update devices set kind = #{kind} where name = #{name} and kind is distinct from #{kind}")
    void putKind(String name, String kind);

    /** The version of a family's configuration form that the store is written in. */
    record FamilyRow(String name, int version) {}

    @Select("select name, version from families")
    List<FamilyRow> familyVersions();

    @Insert("insert into families (name, version) values (#{name}, #{version}) on conflict (name) do update set version = excluded.version")
    void putFamilyVersion(String name, int version);

    @Select("select device, path, value, prior, owners_json from ledger where device = #{device} order by path")
    List<LedgerRow> ledger(String device);

    @Select("<script>select device, path, value, prior, owners_json from ledger where device" + Among.DEVICES + "</script>")
    List<LedgerRow> ledgers(@Param("devices") Collection<String> devices);

    String ROWS = " from json_to_recordset(#{rows}::json) as r(device text, path text, value text, prior text, \"ownersJson\" text)";

    /** A managed node of a device. */
    record LedgerPlace(String device, String path) {}

    @Delete("delete from ledger l using json_to_recordset(#{places}::json) as r(device text, path text) where l.device = r.device and l.path = r.path")
    void dropLedgerPlaces(String places);

    default void dropLedger(List<LedgerPlace> places) {
        if (!places.isEmpty()) {
            dropLedgerPlaces(Json.ROWS.write(places));
        }
    }

    @Insert("insert into ledger (device, path, value, prior, owners_json) select device, path, value, prior, \"ownersJson\"" + ROWS
            + " on conflict (device, path) do update set value = excluded.value, prior = excluded.prior, owners_json = excluded.owners_json")
    void putLedgerRows(String rows);

    default void putLedger(List<LedgerRow> rows) {
        if (!rows.isEmpty()) {
            putLedgerRows(Json.ROWS.write(rows));
        }
    }

    /** The sealed secrets that may be on a device: what was last known of it, what its ledger has, and what orders that hold it change. */
    @Select("""
            select distinct secrets.secret[1] from (
                select configuration as text from devices where name = #{device}
                union all select value from ledger where device = #{device}
                union all select prior from ledger where device = #{device}
                union all select changes_json from order_parts where device = #{device} and order_id in (select order_id from holds)) texts,
            regexp_matches(text, '\\$sealed\\$[A-Za-z0-9_-]+', 'g') as secrets (secret)""")
    Set<String> sealedSecrets(String device);
}
