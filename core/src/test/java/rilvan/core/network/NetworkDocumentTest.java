package rilvan.core.network;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;

class NetworkDocumentTest {

    private static final String SKERRA = Shipped.text("demo/network.yaml");

    @Test
    void theNearestSettingWins() {
        String more = SKERRA + """
                  - { for: device skarn-pe1, name: as_number, value: 64999 }
                  - { for: role pe, name: as_number, value: 64777 }
                """;
        Network network = NetworkDocument.read(Document.read(more));
        assertThat(said(network, "skarn-pe1", "as_number")).isEqualTo("64999 from device skarn-pe1");
        assertThat(said(network, "haven-pe1", "as_number")).isEqualTo("64777 from role pe");
        assertThat(said(network, "haven-rr1", "as_number")).isEqualTo("64500 from the network");
        assertThat(said(network, "skarn-upe1", "transport_mtu")).isEqualTo("4400 from site Skarn");
        assertThat(said(network, "hall-leaf1", "transport_mtu")).isEqualTo("9050 from role leaf");
        assertThat(network.setting(network.device("haven-pe1").orElseThrow(), "motto")).isEmpty();
    }

    private static String said(Network network, String device, String setting) {
        Setting found = network.setting(network.device(device).orElseThrow(), setting).orElseThrow();
        return found.value() + " from " + found.where();
    }

    @Test
    void devicesWithATransportPathAreOfOneDomain() {
        String cut = SKERRA.replaceAll("  - \\{ a: hall-border1 core-1, b: haven-pe1 .*\n", "");
        Network network = NetworkDocument.read(Document.read(cut));
        assertThat(network.domain("skarn-upe1")).isEqualTo(network.domain("haven-pe1"));
        assertThat(network.domain("hall-leaf5")).isEqualTo(network.domain("hall-border1")).isNotEqualTo(network.domain("haven-pe1"));
        // A customer's router is at the other side of an access port: no way of the transport network.
        assertThat(network.domain("haven-ce1")).isEqualTo("haven-ce1");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "for: site Skarn, name | for: site Skye, name | expected: network, site NAME, role NAME or device NAME, with a name of this network",
        "a: haven-pe1 core-1 | a: haven-pe1 core-9 | expected a device and one of its ports, such as: haven-pe1 core-1",
        "tags: 2-4094 | tags: 2..4094 | expected the lowest and the highest tag, such as 2-4094",
        "except: [50100-50199] | except: [5010-50199] | expected a number of the pool or a range, such as 1002-1005",
        "length: 31 } | length: 24 } | expected a whole number from 25 to 32",
        "name: haven-pe1 | name: ternsay-pe1 | there is already a device named ternsay-pe1",
        "name: vni, from: 50001, to: 59999 | name: vni, from: 59999, to: 50001 | is below from",
        "sites: [Haven], starts | sites: [Skye], starts | there is no device at a site named 'Skye'",
        "starts: 2026-01-06T02:00, zone | starts: tuesday, zone | expected a local date and time, such as 2026-01-06T02:00",
        "02:00, zone: UTC | 02:00, zone: Skerra | expected a time zone, such as Europe/Lisbon",
        "lasts: PT3H | lasts: 3h | expected a duration (ISO 8601), such as PT3H",
        "lasts: PT3H | lasts: P9D | a window is open for a minute at least and for a week at most",
        "BYDAY=TU,TH | BYDAY=TUESDAY | is no recurrence rule",
        "for: role leaf, name: transport_mtu | for: network, name: transport_mtu | transport_mtu is set for the network twice",
    })
    void aNetworkThatIsWrongIsRefusedWhereItIsWrong(String given, String instead, String message) {
        assertThat(SKERRA).contains(given);
        assertThatThrownBy(() -> NetworkDocument.read(Document.read(SKERRA.replaceFirst(java.util.regex.Pattern.quote(given), instead))))
                .isInstanceOf(ValidationFailure.class).hasMessageContaining(message).hasMessageContaining("line ");
    }
}
