package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.Optional;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;

/** People who may sign in, their tokens, and what the service signs in to devices with. */
@Mapper
public interface Accounts {

    record Credential(String name, String login, byte[] secret) {}

    @Select("select password_hash from users where name = #{name}")
    Optional<String> passwordHash(String name);

    @Insert("""
            insert into users (name, password_hash)
            values (#{name}, #{hash})
            on conflict (name) do update set password_hash = excluded.password_hash""")
    void putUser(String name, String hash);

    @Insert("insert into tokens (hash, who, expires) values (#{hash}, #{who}, #{expires})")
    void addToken(String hash, String who, OffsetDateTime expires);

    @Select("select who from tokens where hash = #{hash} and expires > now()")
    Optional<String> whoseToken(String hash);

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
