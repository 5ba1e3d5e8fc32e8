package rilvan.server.store;

import java.time.OffsetDateTime;
import java.util.List;
import org.apache.ibatis.annotations.Delete;
import org.apache.ibatis.annotations.Insert;
import org.apache.ibatis.annotations.Mapper;
import org.apache.ibatis.annotations.Select;
import org.apache.ibatis.annotations.Update;

/** The keys of this store, each sealed with the key of a key file, and what of them the instances have. */
@Mapper
public interface SealedKeys {

    /**
     * A key of the store.
     *
     * @param use what it is for
     * @param number higher than those before it for the same use
     * @param openedBy the name of the key file's key that it is sealed with
     */
    record KeyRow(String use, int number, String openedBy, byte[] box, OffsetDateTime since) {}

    /** An instance that is alive, and the name of the key that its key file has: empty where it has none that can be used, null where it has not said so yet. */
    record InstanceKey(String id, String keyName) {}

    @Select("select use, number, opened_by, box, since from sealed_keys order by since, opened_by, use, number")
    List<KeyRow> all();

    @Insert("insert into sealed_keys (use, number, opened_by, box) values (#{use}, #{number}, #{openedBy}, #{box})")
    void put(String use, int number, String openedBy, byte[] box);

    @Delete("delete from sealed_keys where opened_by = #{name}")
    void removeOpenedBy(String name);

    @Delete("delete from sealed_keys where use = #{use} and number < #{number}")
    void removeBefore(String use, int number);

    /** Whether the secrets that stood in this store when it came to have keys of its own are sealed with the key file's key itself. */
    @Select("select from_key_file from store_keys_begin")
    boolean isSealedByFile();

    /** Nobody else changes keys until the end of the transaction. */
    @Update("lock table sealed_keys in exclusive mode")
    void alone();

    @Update("update instances set key_name = #{keyName} where id = #{id}")
    void tell(String id, String keyName);

    @Select("select id, key_name from instances where alive_until > now() order by id")
    List<InstanceKey> instances();

    /** A sealed text in a row of a table. */
    record SealedRow(String name, byte[] secret) {}

    @Select("select name, secret from credentials for update")
    List<SealedRow> credentials();

    @Update("update credentials set secret = #{secret} where name = #{name}")
    void sealCredential(String name, byte[] secret);

    @Select("select name, secret from webhooks for update")
    List<SealedRow> webhooks();

    @Update("update webhooks set secret = #{secret} where name = #{name}")
    void sealWebhook(String name, byte[] secret);
}
