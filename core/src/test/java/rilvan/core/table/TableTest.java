package rilvan.core.table;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import rilvan.core.document.ValidationFailure;
import rilvan.core.table.Table.Row;

class TableTest {

    private static Table read(String text) {
        return Table.read(text.getBytes(StandardCharsets.UTF_8));
    }

    /** Whatever a spreadsheet writes. */
    @ParameterizedTest
    @ValueSource(strings = {"vpn,site\nclinics,haven\n", "vpn;site\r\nclinics;haven\r\n", "vpn\tsite\nclinics\thaven", "\ufeffvpn,site\nclinics,haven\n", "vpn , site\n clinics, haven \n\n,\n", "\"vpn\",\"site\"\n\"clinics\",\"haven\""})
    void isReadAlike(String text) {
        assertThat(read(text)).isEqualTo(new Table(List.of("vpn", "site"), List.of(new Row(2, List.of("clinics", "haven")))));
    }

    @Test
    void aRowIsToldByItsLineOfTheText() {
        Table table = read("vpn,contact\nclinics,\"the night desk,\nand the day desk\"\n\nferries\n");
        assertThat(table.rows()).containsExactly(new Row(2, List.of("clinics", "the night desk,\nand the day desk")), new Row(5, List.of("ferries", "")));
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '~', textBlock = """
            ~~                              | the table is empty
            vpn,,site                       | line 1: column 2 has no heading
            vpn,site,vpn                    | line 1: two columns have the heading 'vpn'
            vpn,site$clinics,haven,110      | line 2: 3 cells, but 2 headings
            vpn,site$clinics,haven$"ferries | line 3: a quotation mark is not closed
            """)
    void whatIsNoTableIsRefusedAtItsLine(String text, String message) {
        assertThatThrownBy(() -> read(text.replace('$', '\n'))).isInstanceOf(ValidationFailure.class).hasMessageContaining(message);
    }

    @Test
    void anotherEncodingIsRefusedAtItsLine() {
        byte[] bytes = "vpn,tenant\nferries,Northsound\nkelp,K\u00e9lp".getBytes(Charset.forName("windows-1252"));
        assertThatThrownBy(() -> Table.read(bytes)).isInstanceOf(ValidationFailure.class).hasMessageContaining("line 3 has a byte that is not UTF-8");
    }
}
