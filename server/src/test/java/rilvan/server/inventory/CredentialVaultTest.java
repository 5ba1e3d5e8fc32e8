package rilvan.server.inventory;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import rilvan.server.TestSettings;

class CredentialVaultTest {

    @TempDir
    private Path folder;

    private CredentialVault vault(byte[] key, String mode) throws Exception {
        Path file = Files.createTempFile(folder, "key", "");
        Files.write(file, key);
        Files.setPosixFilePermissions(file, PosixFilePermissions.fromString(mode));
        return new CredentialVault(new StoreKey(TestSettings.of(file)));
    }

    @Test
    void aSecretIsDecryptedOnlyWithItsKeyAndName() throws Exception {
        CredentialVault vault = vault(new byte[32], "rw-------");
        byte[] box = vault.seal("lab", "geheim é");
        assertThat(vault.open("lab", box)).isEqualTo("geheim é");
        assertThat(new String(box, StandardCharsets.ISO_8859_1)).doesNotContain("geheim");
        assertThat(vault.seal("lab", "geheim é")).isNotEqualTo(box);
        assertThatThrownBy(() -> vault.open("other", box)).hasMessageContaining("cannot be opened with this key").hasMessageNotContaining("geheim");
        byte[] otherKey = new byte[32];
        otherKey[0] = 1;
        CredentialVault other = vault(otherKey, "rw-------");
        assertThatThrownBy(() -> other.open("lab", box)).isInstanceOf(IllegalStateException.class);
        box[box.length - 1] ^= 1;
        assertThatThrownBy(() -> vault.open("lab", box)).isInstanceOf(IllegalStateException.class);
    }

    @Test
    void aKeyThatOthersMayReadIsNotUsed() {
        assertThatThrownBy(() -> vault(new byte[32], "rw-r--r--")).hasMessageContaining("mode 0600");
        assertThatThrownBy(() -> vault(new byte[31], "rw-------")).hasMessageContaining("32 bytes");
    }
}
