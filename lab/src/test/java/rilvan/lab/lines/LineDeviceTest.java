package rilvan.lab.lines;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.lab.device.Faults;
import rilvan.lab.device.SharedSecret;

/** What a device with a command line takes, holds and shows. */
class LineDeviceTest {

    private static final String START = """
            hostname box
            table A
             rd 1:1
            table B
             rd 1:2
            part p 7
             table A
             address 192.0.2.0/31
             address 192.0.2.2/31
            """;

    private final List<String> saved = new ArrayList<>();
    private LineDevice device;

    @BeforeEach
    void switchOn() throws Exception {
        device = new LineDevice("box", Grammar.parse(Files.readString(Path.of("../models/dialects/brae/lab.grammar"))), START, () -> { }, saved::add);
    }

    /** Types lines, each in the block that those before it have opened; {@code exit} leaves it. */
    private void type(String... lines) {
        List<Block> blocks = new ArrayList<>(List.of(device.top()));
        for (String line : lines) {
            Block here = blocks.get(blocks.size() - 1);
            if (line.equals("exit")) {
                blocks.remove(here);
            } else if (line.startsWith("drop ")) {
                device.change(all -> {
                    here.drop(line.substring(5), all);
                    return null;
                });
            } else {
                device.change(all -> here.say(line, all)).ifPresent(blocks::add);
            }
        }
    }

    @Test
    void whatIsReadIsShownAsItWas() {
        assertThat(device.running()).isEqualTo(START);
    }

    @Test
    void aNewTableDropsThePartsAddresses() {
        type("part p 7", "table B");
        assertThat(device.running()).contains("part p 7\n table B\n").doesNotContain("192.0.2");
        type("part p 7", "table B", "address 192.0.2.4/31", "table B");
        assertThat(device.running()).contains("address 192.0.2.4/31");
    }

    @Test
    void whatIsTheDefaultIsNotShownAndWhatIsIgnoredIsNotKept() {
        type("port x", "payload 9000", "payload 9192", "exit", "part p 7", "turbo");
        assertThat(device.running()).contains("port x\n").doesNotContain("payload", "turbo");
    }

    @Test
    void aRouteIsReplacedByOneWithTheSamePrefix() {
        type("routes A", "route 198.51.100.0/24 via 192.0.2.1", "route 198.51.100.0/24 via 192.0.2.3");
        assertThat(device.running()).contains("routes A\n route 198.51.100.0/24 via 192.0.2.3\n").doesNotContain("via 192.0.2.1");
    }

    @ParameterizedTest
    @CsvSource(delimiterString = " => ", quoteCharacter = '`', value = {
        "part p 7 / table C => there is no table C",
        "drop table A => table A is used by part p 7",
        "drop table C => there is no table C here",
        "port x / payload 12 => '12' is no <576-9216>",
        "part p 7 / address 192.0.2.300/31 => '192.0.2.300/31' is no <interface>",
        "port x / paylod 12 => there is no 'paylod' here; ? lists what there is",
        "wire w / far 192.0.2.1 => write it as: far <address> id <1-4294967295> type <raw|tagged>",
    })
    void whatItDoesNotTakeIsRefusedAndChangesNothing(String lines, String message) {
        assertThatThrownBy(() -> type(lines.split(" / "))).isInstanceOf(Block.Refusal.class).hasMessage(message);
        assertThat(device.running().replaceAll("(port x|wire w)\n", "")).isEqualTo(START);
    }

    @Test
    void itSavesWhenItIsToldAndRefusesWhereAFaultIsArmed() {
        type("place Skarn");
        device.faults().once(Faults.FaultPoint.SAVE, new Faults.Trouble.Refusal("disk full", ""));
        assertThatThrownBy(device::keep).hasMessage("disk full");
        assertThat(saved).isEmpty();
        device.keep();
        assertThat(saved).containsExactly(device.running());
        device.faults().once(Faults.FaultPoint.EDIT, new Faults.Trouble.Refusal("read-only", ""));
        assertThatThrownBy(() -> type("place Haven")).hasMessage("read-only");
        assertThat(device.running()).isEqualTo(saved.get(0));
    }

    /** A port names a bundle that the device writes after it; it starts with that all the same. */
    @Test
    void whatItHasSavedItReadsAgain() {
        type("bundle b");
        type("port x", "member-of b");
        device.keep();
        String before = device.running();
        assertThat(before).contains("member-of b\nbundle b");
        assertThat(device.saved()).isEqualTo(before);
        device.faults().restart(java.time.Duration.ZERO);
        assertThat(device.running()).isEqualTo(before);
    }

    /** A secret is shown as a salted hash, also of what is saved; the hash is taken in its place, and what outlasts a restart is the secret. */
    @Test
    void aSecretIsShownAsAHash() {
        type("routes A", "peer 192.0.2.1", "digest sail at dawn");
        String shown = device.running();
        assertThat(shown).doesNotContain("dawn").containsPattern("digest \\$5\\$rounds=1000\\$[0-9a-f]{16}\\$[A-Za-z0-9./]{43}");
        String hash = shown.substring(shown.indexOf("$5$")).lines().findFirst().orElseThrow();
        type("routes A", "peer 192.0.2.1", "digest " + hash);
        device.keep();
        assertThat(device.running()).isEqualTo(shown).isEqualTo(device.saved());
        assertThat(saved).last().asString().contains("digest sail at dawn");
        type("routes A", "peer 192.0.2.1", "digest another one");
        assertThat(device.running()).isNotEqualTo(shown).contains("digest $5$");
        assertThat(SharedSecret.match("sail at dawn", hash)).isTrue();
        assertThat(SharedSecret.match(hash, "another one")).isFalse();
    }
}
