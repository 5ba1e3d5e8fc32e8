package rilvan.core.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Refused;

class ModelReaderTest {

    private static final String L3VPN = Shipped.text("services/l3vpn/model.yaml");

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "isHost(s.address) | isHost(s.adress) | undefined field 'adress'",
        "isHost(s.address) | isHots(s.address) | undeclared reference to 'isHots'",
        "isHost(s.address) | isHost(s.tag) | found no matching overload for 'isHost'",
        "that: `=a.name != b.name` | that: `=a.name` | yields string, but bool is expected",
        "clause: vrf | clause: vfr | there is no clause 'vfr'; there are vrf, attachment, static-route",
        "vrf: `=name` | vfr: `=name` | 'vfr' is not known here",
        "tag: `=s.tag` | tag: `=s.name` | yields string, but int is expected",
        "rd: `=rd[edge]` | rd: `=rd` | yields map, but string is expected",
        "at: s.address | at: t.address | names nothing in the parameters",
        "each: edge in edges | each: edge of edges | expected NAME in LIST, or pair NAME, NAME of LIST",
        "each: edge in edges | each: service in edges | the name service is taken already",
        "s in sites | s in service | is no list",
        "expect: reach | expect: rich | there is no observation 'rich'; there are reach",
        "refers: device | refers: devise | expected device, site, service, or port together with at",
        "format: vlan-id | format: vlan-ids | line 36, column 11: is not known; known are as-number, ip-address",
        "required: [name, device, port, tag, address, customer] | required: [name, device, port, tag, address] | is neither required nor has a default",
        "model: l3vpn | modell: l3vpn | line 2, column 1: is not known here",
        "$defs/site | $defs/place | there is no #/$defs/place",
        "choose: `=s.tag`, at: s.tag | choose: `=s.tag` | choose and at belong together",
    })
    void aModelThatIsWrongIsRefusedWhereItIsWrong(String given, String instead, String message) {
        String text = L3VPN.replace("\"=", "`=").replaceAll("(`=[^\"\n]*)\"", "$1`");
        assertThat(text).contains(given);
        String broken = text.replace(given, instead).replace('`', '"');
        assertThatThrownBy(() -> ModelReader.read(broken, Shipped.VOCABULARY))
                .isInstanceOf(Refused.class).hasMessageContaining(message).hasMessageContaining("line ");
    }

    @Test
    void theShippedModelSaysWhatAFormNeeds() {
        var site = Parameters.map(Parameters.map(Parameters.map(Shipped.L3VPN.parameters().schema().get("properties")).get("sites")).get("items"));
        assertThat(Parameters.map(site.get("properties")).keySet())
                .containsExactly("name", "device", "port", "tag", "address", "customer", "routes");
        assertThat(site).containsEntry("additionalProperties", false);
    }
}
