package rilvan.server.keys;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.postgresql.ds.PGSimpleDataSource;
import org.springframework.jdbc.datasource.DataSourceTransactionManager;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.server.TestSettings;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.keys.KeyChange.OpeningKey;
import rilvan.server.ops.StartRefused;
import rilvan.server.store.Accounts;
import rilvan.server.store.SealedKeys;
import rilvan.server.store.TestDatabase;

/** On a real store, with the key files of two instances. */
class KeyChangeTest {

    @TempDir
    private Path folder;

    private final List<KeyChange> running = new ArrayList<>();
    private PGSimpleDataSource source;
    private SealedKeys keys;
    private Accounts accounts;
    private TransactionTemplate transactions;

    /** An instance: its key file and what it knows. */
    private record Instance(String id, KeyFile file, KeyRing ring, KeyChange change, CredentialVault vault) {}

    @BeforeEach
    void begin() throws Exception {
        source = TestDatabase.migrated();
        keys = TestDatabase.mapper(source, SealedKeys.class);
        accounts = TestDatabase.mapper(source, Accounts.class);
        transactions = new TransactionTemplate(new DataSourceTransactionManager(source));
    }

    @AfterEach
    void end() {
        running.forEach(KeyChange::close);
    }

    private Path keyFile(String id) {
        return folder.resolve(id + ".key");
    }

    private static void write(Path file, int seed) throws Exception {
        byte[] key = new byte[32];
        new Random(seed).nextBytes(key);
        Files.deleteIfExists(file);
        Files.createFile(file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
        Files.write(file, key);
    }

    private KeyRing ring(String id) {
        return new KeyRing(keys, new KeyFile(TestSettings.of(keyFile(id))), transactions);
    }

    private Instance start(String id) throws SQLException {
        sql("insert into instances (id, alive_until) values ('" + id + "', now() + interval '1 hour') on conflict do nothing");
        ClusterMember member = mock(ClusterMember.class);
        when(member.id()).thenReturn(id);
        KeyFile file = new KeyFile(TestSettings.of(keyFile(id)));
        KeyRing ring = new KeyRing(keys, file, transactions);
        KeyChange change = new KeyChange(keys, file, ring, member, transactions);
        running.add(change);
        return new Instance(id, file, ring, change, new CredentialVault(ring));
    }

    private void sql(String text) throws SQLException {
        try (Connection connection = source.getConnection(); Statement statement = connection.createStatement()) {
            statement.execute(text);
        }
    }

    private void put(Instance by, String name, String secret) {
        accounts.putCredential(name, "operator", by.vault().seal(name, secret));
    }

    private String read(CredentialVault vault, String name) {
        return vault.open(name, accounts.credential(name).orElseThrow().secret());
    }

    @Test
    void theKeyFileIsChangedWhileTwoInstancesRunAndNothingSealedIsLost() throws Exception {
        write(keyFile("one"), 1);
        write(keyFile("two"), 1);
        Instance one = start("one");
        Instance two = start("two");
        String former = one.file().name();
        put(one, "lab", "geheim");
        String sealed = new ParameterSeal(one.ring()).seal("of a service");
        assertThat(one.ring().of(Use.CREDENTIALS).get(0)).as("the key file seals keys and nothing else").isNotEqualTo(Files.readAllBytes(keyFile("one")));

        assertThatThrownBy(one.change()::add).isInstanceOf(KeyChange.Refused.class).hasMessageContaining("there is no key at").hasMessageContaining(".next");
        assertThatThrownBy(() -> one.change().remove(former)).isInstanceOf(KeyChange.Refused.class).hasMessageContaining("add another key first");
        Path next = folder.resolve("one.key.next");
        Files.copy(keyFile("one"), next, StandardCopyOption.COPY_ATTRIBUTES);
        assertThatThrownBy(one.change()::add).isInstanceOf(KeyChange.Refused.class).hasMessageContaining("opens this store already");
        write(next, 2);
        byte[] before = accounts.credential("lab").orElseThrow().secret();
        OpeningKey added = one.change().add();
        assertThat(accounts.credential("lab").orElseThrow().secret()).as("sealed anew").isNotEqualTo(before);
        assertThat(one.change().all()).extracting(OpeningKey::name).containsExactlyInAnyOrder(former, added.name());
        write(folder.resolve("two.key.next"), 3);
        assertThatThrownBy(two.change()::add).isInstanceOf(KeyChange.Refused.class).hasMessageContaining("a change is under way");

        // The other instance opens what is sealed anew, and what it may still seal with the key of before is not lost.
        assertThat(read(two.vault(), "lab")).isEqualTo("geheim");
        assertThatThrownBy(() -> one.change().remove(former)).isInstanceOf(KeyChange.Refused.class).hasMessageContaining("one, two has not " + added.name());
        Files.move(next, keyFile("one"), StandardCopyOption.REPLACE_EXISTING);
        assertThatThrownBy(() -> one.change().remove(former)).isInstanceOf(KeyChange.Refused.class).hasMessageContaining("the key file of two");
        write(keyFile("two"), 2);
        assertThatThrownBy(() -> two.change().remove("0123456789ab")).isInstanceOf(KeyChange.Unknown.class);
        one.change().all();
        two.change().remove(former);
        assertThat(two.change().all()).extracting(OpeningKey::name).containsExactly(added.name());
        assertThat(two.change().shutOut()).isEmpty();

        KeyRing afresh = ring("two");
        assertThat(afresh.of(Use.CREDENTIALS)).hasSize(1);
        assertThat(read(new CredentialVault(afresh), "lab")).isEqualTo("geheim");
        assertThat(new ParameterSeal(afresh).open(sealed)).isEqualTo("of a service");
        write(keyFile("one"), 1);
        assertThatThrownBy(() -> ring("one")).isInstanceOf(StartRefused.class).hasMessageContaining(former).hasMessageContaining(added.name());
    }

    @Test
    void aStoreOfBeforeOpensWhatTheKeyFileHasSealedItself() throws Exception {
        write(keyFile("one"), 1);
        sql("update store_keys_begin set from_key_file = true");
        byte[] file = Files.readAllBytes(keyFile("one"));
        String sealed = new ParameterSeal(use -> List.of(file)).seal("of a service");
        byte[] box = new CredentialVault(use -> List.of(file)).seal("lab", "geheim");
        KeyRing ring = ring("one");
        assertThat(new ParameterSeal(ring).open(sealed)).isEqualTo("of a service");
        assertThat(new CredentialVault(ring).open("lab", box)).isEqualTo("geheim");
    }

    @Test
    void aKeyFileIsReadByItsOwnerAlone() throws Exception {
        assertThatThrownBy(() -> ring("one")).isInstanceOf(StartRefused.class).hasMessageContaining("there is no key at");
        write(keyFile("one"), 1);
        Files.setPosixFilePermissions(keyFile("one"), PosixFilePermissions.fromString("rw-r--r--"));
        assertThatThrownBy(() -> ring("one")).isInstanceOf(StartRefused.class).hasMessageContaining("mode 0600");
        Files.setPosixFilePermissions(keyFile("one"), PosixFilePermissions.fromString("rw-------"));
        Files.write(keyFile("one"), new byte[31]);
        assertThatThrownBy(() -> ring("one")).isInstanceOf(StartRefused.class).hasMessageContaining("32 bytes");
    }
}
