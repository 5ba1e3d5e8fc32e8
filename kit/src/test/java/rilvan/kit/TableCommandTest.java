package rilvan.kit;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import picocli.CommandLine;

/** From a table to an order that a model takes. */
class TableCommandTest {

    private static final String TABLE = """
            Service;Site;Provider edge;Port;Tag;Our address;Customer's address;MTU;Remarks
            tidewater-houses;haven;haven-pe1;access-1;210;192.0.2.40/31;192.0.2.41;1500;the old house
            tidewater-houses;ternsay;ternsay-pe1;access-1;210;192.0.2.42/31;192.0.2.43;;
            tidewater-shed;shed;haven-pe1;access-1;211;192.0.2.44/31;192.0.2.45;small;
            """;

    @TempDir
    private Path folder;

    private record Told(int code, String output, String beside) {}

    private static Told kit(String... words) {
        StringWriter output = new StringWriter();
        StringWriter beside = new StringWriter();
        List<String> command = new ArrayList<>(List.of(words));
        command.addAll(List.of("--models", "../models"));
        CommandLine kit = Kit.commandLine().setOut(new PrintWriter(output)).setErr(new PrintWriter(beside));
        return new Told(kit.execute(command.toArray(String[]::new)), output.toString(), beside.toString());
    }

    @Test
    void aTableBecomesAnOrderThatAModelTakes() throws Exception {
        String table = Files.writeString(folder.resolve("sites.csv"), TABLE).toString();
        Told refused = kit("table", table, "--model", "l3vpn", "--always", "tenant=Tidewater Clinics");
        assertThat(refused.code()).isEqualTo(3);
        assertThat(refused.output()).isEmpty();
        assertThat(refused.beside()).contains("Provider edge: sites/device", "Remarks: passed over", "line 4, MTU: 'small' is no whole number");
        Told good = kit("table", table, "--model", "l3vpn", "--always", "tenant=Tidewater Clinics", "--good");
        assertThat(good.code()).isEqualTo(1);
        Path order = Files.writeString(folder.resolve("order.yaml"), good.output());
        Told tried = kit("try", order.toString());
        assertThat(tried.code()).as(tried.beside()).isZero();
        assertThat(tried.output()).contains("add tidewater-houses", "port access-1").doesNotContain("tidewater-shed");
    }

    /** What the model refuses is told where it stands in the table. */
    @Test
    void whatTheModelRefusesIsToldByLineAndColumn() throws Exception {
        String table = Files.writeString(folder.resolve("sites.csv"), TABLE.replace(";small;", ";;").replace("ternsay-pe1", "ternsay-pe9").replace("211;", "9999;")).toString();
        Told refused = kit("table", table, "--model", "l3vpn", "--always", "tenant=Tidewater Clinics", "--try");
        assertThat(refused.code()).isEqualTo(3);
        assertThat(refused.beside()).contains("line 3, Provider edge: ", "line 4, Tag: ");
    }

    /** What the columns are taken for is written down, and read again. */
    @Test
    void aMappingIsKept() throws Exception {
        String table = Files.writeString(folder.resolve("sites.csv"), TABLE.replace(";small;", ";;")).toString();
        Path mapping = folder.resolve("mapping.yaml");
        assertThat(kit("table", table, "--model", "l3vpn", "--always", "tenant=Tidewater Clinics", "--mapping-to", mapping.toString()).code()).isZero();
        assertThat(mapping).content().contains("Provider edge: sites/device", "tenant: Tidewater Clinics");
        Told again = kit("table", table, "--model", "l3vpn", "--mapping", mapping.toString());
        assertThat(again.code()).as(again.beside()).isZero();
        assertThat(again.output()).isEqualTo(kit("table", table, "--model", "l3vpn", "--always", "tenant=Tidewater Clinics").output()).contains("tidewater-shed");
        Files.writeString(mapping, Files.readString(mapping).replace("sites/port", "sites/prot"));
        Told wrong = kit("table", table, "--model", "l3vpn", "--mapping", mapping.toString());
        assertThat(wrong.code()).isEqualTo(3);
        assertThat(wrong.beside()).contains("/columns/Port", "there is nothing 'sites/prot' to say of a service; the nearest is sites/port");
    }
}
