package rilvan.kit;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import rilvan.core.schema.SchemaTable;

class SchemaTableTest {

    private static final Path QUERN = Path.of("../models/dialects/quern");

    @Test
    void theShippedTableIsWhatItsModulesSay() throws Exception {
        assertThat(SchemaTableWriter.write(QUERN.resolve("yang")))
                .as("run the authoring kit on the dialect again")
                .isEqualTo(Files.readString(QUERN.resolve("schema.table")));
    }

    @Test
    void aTableThatIsWrittenCanBeRead() throws Exception {
        SchemaTable table = SchemaTable.parse(SchemaTableWriter.write(QUERN.resolve("yang")));
        var unit = table.find(rilvan.core.tree.Path.parse("/interfaces/interface[x]/units/unit[1]")).orElseThrow();
        assertThat(unit.keys()).containsExactly("tag");
        assertThat(unit.children().get("vrf").namespace()).isEqualTo("urn:quern:vpn");
        assertThat(unit.children().get("vrf").refers()).hasToString("Optional[/vpn/vrf/name]");
    }

    @Test
    void whatATableCannotSayIsRefusedByName(@TempDir Path folder) throws Exception {
        Files.writeString(folder.resolve("odd.yang"), """
                module odd { yang-version 1.1; namespace "urn:odd"; prefix o;
                  leaf size { type decimal64 { fraction-digits 2; } } }
                """);
        assertThatThrownBy(() -> SchemaTableWriter.write(folder))
                .isInstanceOf(SchemaTableWriter.UnsupportedModule.class).hasMessageContaining("size has the type decimal64");
    }
}
