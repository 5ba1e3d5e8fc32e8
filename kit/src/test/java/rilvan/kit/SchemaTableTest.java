package rilvan.kit;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import rilvan.core.schema.SchemaTable;

class SchemaTableTest {

    private static final Path QUERN = Path.of("../models/dialects/quern");

    @ParameterizedTest
    @ValueSource(strings = {"quern", "tarn"})
    void aShippedTableIsWhatItsModulesSay(String family) throws Exception {
        Path folder = QUERN.resolveSibling(family);
        assertThat(SchemaTableWriter.write(folder.resolve("yang")))
                .as("run the authoring kit on the dialect again")
                .isEqualTo(Files.readString(folder.resolve("schema.table")));
    }

    @Test
    void aTableThatIsWrittenCanBeRead() throws Exception {
        SchemaTable table = SchemaTable.parse(SchemaTableWriter.write(QUERN.resolve("yang")));
        var circuit = table.find(rilvan.core.tree.Path.parse("/ports/port[x]/circuit[1]")).orElseThrow();
        assertThat(circuit.keys()).containsExactly("id");
        assertThat(circuit.children().get("vrf").namespace()).isEqualTo("urn:quern:vpn");
        assertThat(circuit.children().get("vrf").refers()).hasToString("Optional[/vpn/vrf/name]");
    }

    @Test
    void everyKindOfValueAndOrderIsSaid(@TempDir Path folder) throws Exception {
        Files.writeString(folder.resolve("many.yang"), """
                module many { yang-version 1.1; namespace "urn:many"; prefix m;
                  identity kind; identity round { base kind; } identity flat { base kind; }
                  leaf share { type decimal64 { fraction-digits 2; } }
                  leaf flags { type bits { bit syn; bit ack; } }
                  leaf shape { type identityref { base kind; } }
                  leaf blob { type binary; }
                  leaf-list line { ordered-by user; type string; }
                  choice way { case one { leaf a { type string; } } leaf b { type empty; } } }
                """);
        assertThat(SchemaTableWriter.write(folder)).endsWith("""
                share@m leaf decimal digits=2
                flags@m leaf bits names=syn|ack
                shape@m leaf identity names=flat|round
                blob@m leaf binary
                line@m leaf-list string ordered
                a@m leaf string choice=way/one
                b@m leaf empty choice=way/b
                """);
    }

    /** What must hold is carried as far as it can be worked out beforehand; what is left to the device is said. */
    @Test
    void whatMustHoldIsSaid(@TempDir Path folder) throws Exception {
        Files.writeString(folder.resolve("yard.yang"), """
                module yard { yang-version 1.1; namespace "urn:yard"; prefix y;
                  list berth { key name; unique "place/row place/column"; must "not(y:of) or /y:berth[y:name = current()/y:of]" { error-message "the berth
                      is not there"; }
                    leaf name { type string; } leaf of { type string; must "deref(.)"; }
                    container place { leaf row { type uint8; } leaf column { type uint8; } }
                    leaf crane { when "../y:of = 'y:9'"; type string; }
                    choice way { when "y:of"; case one { when "y:crane"; leaf a { type empty; } } leaf b { type empty; } } } }
                """);
        String table = SchemaTableWriter.write(folder);
        assertThat(table).contains("""
                berth@y list name must="not(of) or /berth[name = current()/of]" says="the berth is not there" unique="place/row place/column"
                """, """
                  crane leaf string when="../of = 'y:9'"
                  a leaf empty choice=way/one when-parent="of" when-parent="crane"
                """, "# Left to the device: the must of of, which uses deref\n");
        assertThat(SchemaTable.parse(table).roots().get("berth").constraints()).hasSize(2);
    }

    @Test
    void standardModulesComeWithTheKitAndAMissingOneIsNamed(@TempDir Path folder) throws Exception {
        Path module = folder.resolve("quays.yang");
        String text = """
                module quays { yang-version 1.1; namespace "urn:quays"; prefix q;
                  import ietf-inet-types { prefix inet; }
                  import ietf-interfaces { prefix if; }
                  leaf server { type inet:ipv4-address-no-zone; }
                  augment "/if:interfaces/if:interface" { leaf quay { type string; } } }
                """;
        Files.writeString(module, text);
        assertThat(SchemaTableWriter.write(folder)).contains("\ninterfaces@if container", "quay@q leaf string", "\nserver@q leaf string").doesNotContain("interfaces-state");
        Files.writeString(module, text.replace("ietf-inet-types", "quay-types"));
        assertThatThrownBy(() -> SchemaTableWriter.write(folder)).isInstanceOf(SchemaTableWriter.UnsupportedModule.class)
                .hasMessageStartingWith("quays.yang imports the module quay-types, which is not in " + folder + "; put quay-types.yang there");
    }

    @Test
    void whatATableCannotSayIsRefusedByName(@TempDir Path folder) throws Exception {
        Files.writeString(folder.resolve("odd.yang"), """
                module odd { yang-version 1.1; namespace "urn:odd"; prefix o;
                  list size { config true; leaf x { type string; } key x; }
                  anydata rest; }
                """);
        assertThatThrownBy(() -> SchemaTableWriter.write(folder))
                .isInstanceOf(SchemaTableWriter.UnsupportedModule.class).hasMessageContaining("rest is of a kind that tables cannot express");
    }
}
