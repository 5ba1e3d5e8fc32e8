package rilvan.core.model;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;

class ModelReaderTest {

    private static final String WIRE = """
            model: wire
            version: 1
            title: Wire
            parameters:
              type: object
              required: [ends]
              properties:
                ends: { type: array, minItems: 2, items: { $ref: "#/$defs/end" } }
              $defs:
                end:
                  type: object
                  required: [name, device, port, tag, address]
                  properties:
                    name: { format: label }
                    device: { refers: device, of: [pe] }
                    port: { refers: port, at: device }
                    tag: { format: tags }
                    address: { format: ip-interface }
            settings:
              as_number: { format: as-number, default: 64500 }
            let:
              edges: "=distinct(ends.map(e, e.device))"
              marks: "=edges.map(d, rd[d])"
            allocate:
              name: { pool: vpn }
              rd: { pool: route-distinguisher, each: edge in edges }
              access: { pool: access-tag, each: e in ends, within: "=e.device + ' ' + e.port", choose: "=e.tag", at: e.tag }
            require:
              - each: pair a, b of ends
                that: "=a.name != b.name"
                at: b.name
                say: "two ends are named {a.name}"
              - each: e in ends
                when: "=settings[e.device].as_number > 0"
                that: "=isHost(e.address)"
                at: e.address
                say: "{e.address} is no host's"
            expand:
              - each: edge in edges
                on: "=edge"
                clause: vrf
                says: { name: "=name", description: "=join(marks, ' ')", rd: "=rd[edge]", import: [], export: [] }
              - each: e in ends
                let: { match: "=tags(e.tag)" }
                expand:
                  - on: "=e.device"
                    clause: attachment
                    says: { port: "=e.port", match: "=match", vrf: "=name", description: "=e.name", mtu: 1500 }
            checks:
              - each: pair a, b of ends
                expect: reach
                from: { device: "=a.device", port: "=a.port", vrf: "=name", address: "=address(a.address)", beyond: "", size: 64 }
                to: { device: "=b.device", port: "=b.port", vrf: "=name", address: "=address(b.address)", beyond: "" }
            """;

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', value = {
        "isHost(e.address) | isHost(e.adress) | line 35, column 5: =isHost(e.adress): at character 9: undefined field 'adress'",
        "isHost(e.address) | isHots(e.address) | undeclared reference to 'isHots'",
        "isHost(e.address) | isHost(e) | found no matching overload for 'isHost'",
        "isHost(e.address) | isHost(rt[e.device]) | undeclared reference to 'rt'",
        "=a.name != b.name | =a.name | yields string, but bool is expected",
        "clause: vrf | clause: vfr | unknown clause 'vfr'; the nearest is vrf; available: vrf, vrf-address, import-prefix",
        "{ name: \"=name\", desc | { nome: \"=name\", desc | 'nome' is not known here",
        "{ name: \"=name\", desc | { desc | 'name' is missing",
        "mtu: 1500 | mtu: \"=e.name\" | yields string, but int is expected",
        "rd: \"=rd[edge]\" | rd: \"=rd\" | yields map, but string is expected",
        "at: e.address | at: t.address | names nothing in the parameters",
        "each: edge in edges⏎    on | each: edge of edges⏎    on | expected NAME in LIST, or pair NAME, NAME of LIST",
        "each: edge in edges⏎    on | each: service in edges⏎    on | the name service is taken already",
        "let: { match: | let: { ends: | the name ends is taken already",
        "e in ends | e in service | is not a list",
        "expect: reach | expect: rich | unknown observation 'rich'; the nearest is reach; available: reach",
        "refers: device | refers: devise | expected device, site, service, tenant, or port together with at",
        "format: tags | format: tag | is not known; the nearest is tags; known are as-number, ip-address, ip-interface, ip-prefix, label, line, mac-address, native, route-target, secret, tags, vlan-id",
        "port, tag, address] | port, tag] | is neither required nor has a default",
        "minItems: 2 | min: 2 | line 8, column 26: is not a keyword of a schema that is read here",
        "model: wire | modell: wire | line 1, column 1: is not known here",
        "$defs/end | $defs/place | there is no #/$defs/place",
        "choose: \"=e.tag\", at: e.tag | choose: \"=e.tag\" | choose and at belong together",
        "marks: \"=edges.map(d, rd[d])\" | marks: \"=edges.map(d, id[d])\" | line 23, column 3: =edges.map(d, id[d]): at character 14: undeclared reference to 'id'",
        "default: 64500 | defalt: 64500 | is not a keyword of a schema",
        "    clause: attachment | clause: attachment⏎        expand: [] | expected a clause or further statements under expand, not both",
    })
    void aModelThatIsWrongIsRefusedWhereItIsWrong(String given, String instead, String message) {
        String from = given.replace("⏎", "\n");
        assertThat(WIRE).contains(from);
        assertThatThrownBy(() -> ModelReader.read(WIRE.replace(from, instead.replace("⏎", "\n")), Shipped.VOCABULARY, Map.of()))
                .isInstanceOf(ValidationFailure.class).hasMessageContaining(message).hasMessageContaining("line ");
    }

    @Test
    void aModelThatIsWellPublishesAndSaysWhatAFormNeeds() {
        ServiceModel model = ModelReader.read(WIRE, Shipped.VOCABULARY, Map.of());
        var ends = Document.fields(Document.fields(model.parameters().schema().get("properties")).get("ends"));
        assertThat(Document.fields(Document.fields(ends.get("items")).get("properties")).keySet())
                .containsExactly("name", "device", "port", "tag", "address");
        assertThat(Document.fields(ends.get("items"))).containsEntry("additionalProperties", false);
        assertThat(model.lets()).hasSize(1);
        assertThat(model.later()).hasSize(1);
        assertThat(model.clauseNames()).containsExactly("vrf", "attachment");
    }
}
