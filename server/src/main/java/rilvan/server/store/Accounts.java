package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Options;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** People who may sign in, their tokens, and what the service signs in to devices with. */
@Mapper
public interface Accounts {

    record Credential(String name, String login, byte[] secret) {}

    /**
     * A person or a program.
     *
     * @param issuer the identity provider where they sign in; null for those who do here
     */
    record AccountRow(String name, String kind, boolean active, OffsetDateTime createdAt, String createdBy, String issuer) {}

    /** A token that was added, and until when it is valid by the clock of the store. */
    record Issued(long id, OffsetDateTime expires) {}

    /**
     * A token that is valid.
     *
     * @param roles what it is for, by name, parted by commas; null for all that its account may do
     * @param grantsJson what the account may do, as {@link #GRANTS} has it
     * @param usedAt to the minute; null where it was never used
     * @param isStale whether its last use was noted more than a minute ago
     */
    record TokenRow(long id, String who, String kind, String label, String roles, String grantsJson, OffsetDateTime createdAt, OffsetDateTime usedAt, String address, OffsetDateTime expires,
            boolean isStale) {}

    @Select("select password_hash from users where name = #{name} and active and password_hash is not null")
    Optional<String> passwordHash(String name);

    String ACCOUNT = "select name, kind, active, created_at, created_by, issuer from users ";

    @Select(ACCOUNT + "order by name")
    List<AccountRow> accounts();

    @Select(ACCOUNT + "where name = #{name}")
    Optional<AccountRow> account(String name);

    /** The roles of an account: an array of objects with role, tenants and sites, where the last two are null for all. */
    String GRANTS = """
            (select coalesce(json_agg(json_build_object('role', r.role,
                    'tenants', case when r.of_tenants then (select coalesce(json_agg(t.tenant), '[]') from user_role_tenants t where t.name = r.name and t.role = r.role) end,
                    'sites', case when r.of_sites then (select coalesce(json_agg(s.site), '[]') from user_role_sites s where s.name = r.name and s.role = r.role) end)), '[]')
            from user_roles r where r.name = u.name)::text as grants_json""";

    @Select("select " + GRANTS + " from users u where u.name = #{name}")
    String grants(String name);

    @Select(ACCOUNT + "where issuer = #{issuer} and subject = #{subject}")
    Optional<AccountRow> bySubject(String issuer, String subject);

    @Update("update users set issuer = #{issuer}, subject = #{subject} where name = #{name}")
    void bind(String name, String issuer, String subject);

    /** Whether it was added; otherwise there is such a name. */
    @Insert("insert into users (name, kind, password_hash, created_by) values (#{name}, #{kind}, #{hash}, #{by}) on conflict do nothing")
    int addAccount(String name, String kind, String hash, String by);

    @Update("update users set password_hash = #{hash} where name = #{name}")
    int putPassword(String name, String hash);

    @Update("update users set active = #{active} where name = #{name}")
    void putActive(String name, boolean active);

    @Delete("delete from users where name = #{name}")
    int dropAccount(String name);

    @Delete("delete from user_roles where name = #{name}")
    void dropRoles(String name);

    @Delete("delete from user_roles where name = #{name} and role = #{role}")
    void dropRole(String name, String role);

    @Insert("insert into user_roles (name, role, of_tenants, of_sites) values (#{name}, #{role}, #{ofTenants}, #{ofSites})")
    void addRole(String name, String role, boolean ofTenants, boolean ofSites);

    @Insert("insert into user_role_tenants (name, role, tenant) values (#{name}, #{role}, #{tenant})")
    void addRoleTenant(String name, String role, String tenant);

    @Insert("insert into user_role_sites (name, role, site) values (#{name}, #{role}, #{site})")
    void addRoleSite(String name, String role, String site);

    /** Who changes accounts waits for the others who do, so that somebody who administers is always left. */
    @Select("select count(*) from (select 1 from users for update) locked")
    int lockAccounts();

    @Select("select count(*) from users u join user_roles r on r.name = u.name where u.active and u.kind = 'PERSON' and r.role = #{role}")
    int activePeople(String role);

    @Select("""
            insert into tokens (hash, who, kind, label, roles, address, expires)
            values (#{hash}, #{who}, #{kind}, #{label}, #{roles}, #{address}, now() + #{seconds} * interval '1 second')
            returning id, expires""")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Issued addToken(String hash, String who, String kind, String label, String roles, String address, long seconds);

    String TOKEN = "select t.id, t.who, t.kind, t.label, t.roles, " + GRANTS + ", t.created_at, t.used_at, t.address, t.expires, coalesce(t.used_at < now() - interval '1 minute', true) as is_stale "
            + "from tokens t join users u on u.name = t.who ";

    @Select(TOKEN + "where t.hash = #{hash} and t.expires > now() and u.active")
    Optional<TokenRow> token(String hash);

    @Select(TOKEN + "where t.id = #{id} and t.expires > now() and u.active")
    @Options(flushCache = Options.FlushCachePolicy.TRUE)
    Optional<TokenRow> tokenStill(long id);

    @Select(TOKEN + "where t.who = #{who} and t.expires > now() order by t.id")
    List<TokenRow> tokensOf(String who);

    /** @param seconds that it is valid for from now on; 0 where it ends when it would have */
    @Update("update tokens set used_at = now(), expires = case when #{seconds} > 0 then now() + #{seconds} * interval '1 second' else expires end where hash = #{hash}")
    void used(String hash, long seconds);

    @Delete("delete from tokens where who = #{who} and id = #{id}")
    int endToken(String who, long id);

    @Delete("delete from tokens where hash = #{hash}")
    void endTokenBy(String hash);

    @Delete("delete from tokens where who = #{who} and id <> #{but}")
    void endTokens(String who, long but);

    @Delete("delete from tokens where expires < now()")
    void dropExpiredTokens();

    @Select("select name, login, secret from credentials where name = #{name}")
    Optional<Credential> credential(String name);

    @Insert("""
            insert into credentials (name, login, secret)
            values (#{name}, #{login}, #{secret})
            on conflict (name) do update set login = excluded.login, secret = excluded.secret""")
    void putCredential(String name, String login, byte[] secret);
}
