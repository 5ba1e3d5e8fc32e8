package rilvan.server.keys;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;

class CredentialVaultTest {

    private static byte[] key(int first) {
        byte[] key = new byte[32];
        key[0] = (byte) first;
        return key;
    }

    private static CredentialVault vault(int first) {
        return new CredentialVault(use -> List.of(key(first)));
    }

    @Test
    void aSecretIsDecryptedOnlyWithItsKeyAndName() {
        CredentialVault vault = vault(0);
        byte[] box = vault.seal("lab", "geheim é");
        assertThat(vault.open("lab", box)).isEqualTo("geheim é");
        assertThat(new String(box, StandardCharsets.ISO_8859_1)).doesNotContain("geheim");
        assertThat(vault.seal("lab", "geheim é")).isNotEqualTo(box);
        assertThatThrownBy(() -> vault.open("other", box)).hasMessageContaining("cannot be opened with this key").hasMessageNotContaining("geheim");
        assertThatThrownBy(() -> vault(1).open("lab", box)).isInstanceOf(IllegalStateException.class);
        box[box.length - 1] ^= 1;
        assertThatThrownBy(() -> vault.open("lab", box)).isInstanceOf(IllegalStateException.class);
        assertThatThrownBy(() -> vault.open("lab", new byte[3])).isInstanceOf(IllegalStateException.class);
    }

    @Test
    void whatAnotherInstanceHasSealedWithANewerKeyIsOpenedAfterALook() {
        byte[] newer = vault(1).seal("lab", "geheim");
        List<byte[]> known = new ArrayList<>(List.of(key(0)));
        CredentialVault vault = new CredentialVault(new Roots() {
            @Override
            public List<byte[]> of(Use use) {
                return List.copyOf(known);
            }

            @Override
            public void renew() {
                known.add(0, key(1));
            }
        });
        byte[] older = vault.seal("lab", "alt");
        assertThat(vault.open("lab", newer)).isEqualTo("geheim");
        assertThat(vault.open("lab", older)).isEqualTo("alt");
    }
}
