package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Param;
import org.apache.ibatis.annotations.Select;

/** What keeps orders from beginning: freezes and the emergency stop; and the rules by which another person is to agree first. */
@Mapper
public interface Timings {

    /**
     * A time in which nothing is changed.
     *
     * @param sitesJson the sites of whose devices nothing is changed; of any where there are none and no tenants either
     * @param tenantsJson for whom nothing is changed
     * @param version counts its changes
     */
    record FreezeRow(String name, String sitesJson, String tenantsJson, OffsetDateTime fromAt, OffsetDateTime untilAt, String reason, long version, OffsetDateTime createdAt, String createdBy) {}

    /** @param rollsBack whether orders under way were told to roll back */
    record StopRow(String reason, boolean rollsBack, OffsetDateTime at, String who) {}

    /** A rule by which another person is to agree, as JSON. */
    record RuleRow(String name, String ruleJson, long version, OffsetDateTime createdAt, String createdBy) {}

    String FREEZE = "select name, sites_json, tenants_json, from_at, until_at, reason, version, created_at, created_by from freezes";

    /** Those that have not ended yet, the earliest first. */
    @Select(FREEZE + " where until_at > now() order by from_at, name")
    List<FreezeRow> freezes();

    @Select(FREEZE + " where name = #{name} and until_at > now()")
    Optional<FreezeRow> freeze(String name);

    /** Those that are in force now. */
    @Select(FREEZE + " where from_at <= now() and until_at > now() order by until_at desc, name")
    List<FreezeRow> freezesNow();

    @Insert("""
            insert into freezes (name, sites_json, tenants_json, from_at, until_at, reason, created_by)
            values (#{row.name}, #{row.sitesJson}, #{row.tenantsJson}, #{row.fromAt}, #{row.untilAt}, #{row.reason}, #{row.createdBy})
            on conflict (name) do update set sites_json = excluded.sites_json, tenants_json = excluded.tenants_json, from_at = excluded.from_at, until_at = excluded.until_at,
                    reason = excluded.reason, version = freezes.version + 1, created_at = now(), created_by = excluded.created_by""")
    void putFreeze(@Param("row") FreezeRow row);

    @Delete("delete from freezes where name = #{name}")
    int dropFreeze(String name);

    @Select("select reason, rolls_back, at, who from emergency_stop")
    Optional<StopRow> stop();

    @Insert("insert into emergency_stop (reason, rolls_back, who) values (#{reason}, #{rollsBack}, #{who}) on conflict (the_one) do update set reason = excluded.reason, rolls_back = excluded.rolls_back, at = now(), who = excluded.who")
    void putStop(String reason, boolean rollsBack, String who);

    @Delete("delete from emergency_stop")
    int dropStop();

    @Select("select name, rule_json, version, created_at, created_by from agreement_rules order by name")
    List<RuleRow> rules();

    @Select("select name, rule_json, version, created_at, created_by from agreement_rules where name = #{name}")
    Optional<RuleRow> rule(String name);

    @Insert("""
            insert into agreement_rules (name, rule_json, created_by) values (#{name}, #{rule}, #{who})
            on conflict (name) do update set rule_json = excluded.rule_json, version = agreement_rules.version + 1, created_at = now(), created_by = excluded.created_by""")
    void putRule(String name, String rule, String who);

    @Delete("delete from agreement_rules where name = #{name}")
    int dropRule(String name);
}
