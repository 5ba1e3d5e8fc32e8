package rilvan.core.table;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceModel;
import rilvan.core.table.TableServices.Fault;

class TableServicesTest {

    private static final Catalog SHIPPED = shipped();
    private static final ServiceModel L3VPN = SHIPPED.models().get("l3vpn");
    private static final ServiceModel L2VPN = SHIPPED.models().get("l2vpn");

    private static Catalog shipped() {
        try {
            return Catalog.read(Path.of("../models"));
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static Table table(String text) {
        return Table.read(text.getBytes(StandardCharsets.UTF_8));
    }

    /** Headings as people write them, and what they are taken for. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
            l3vpn | Service, Customer, Site, Provider edge, Port, Tag | {Service=service, Customer=tenant, Site=sites/name, Provider edge=sites/device, Port=sites/port, Tag=sites/tag}
            l3vpn | service; tenant; site_name; device; MTU [bytes]   | {service=service, tenant=tenant, site_name=sites/name, device=sites/device, MTU [bytes]=sites/mtu}
            l3vpn | Service, Tenant, Remarks, Route target            | {Service=service, Tenant=tenant, Route target=route_target}
            l2vpn | service, tenant, rate, mtu                        | {service=service, tenant=tenant, rate=rate, mtu=mtu}
            """)
    void aMappingIsGuessed(String model, String headings, String columns) {
        assertThat(Mapping.guessed(List.of(headings.split(" *[,;] *")), Map.of(), SHIPPED.models().get(model)).columns()).hasToString(columns);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
            columns: {VPN: service}                                                | nothing says the tenant
            columns: {Site: sites/name}                                            | no column says which service a row is of
            {columns: {VPN: service}, always: {tennant: Kelp}}                     | there is nothing 'tennant' to say of a service; the nearest is tenant
            {columns: {VPN: service, Site: sites/nam}, always: {tenant: Kelp}}     | there is nothing 'sites/nam' to say of a service; the nearest is sites/name
            {columns: {VPM: service}, always: {tenant: Kelp}}                      | the table has no column of this heading; the nearest is VPN
            {columns: {VPN: service, Site: service}, always: {tenant: Kelp}}       | two columns have the target service
            {columns: {VPN: service, Site: sites/name, Of: imports/service}, always: {tenant: Kelp}} | columns are of sites and imports
            """)
    void aMappingThatIsNoneIsRefused(String mapping, String message) {
        assertThatThrownBy(() -> Mapping.read(Document.read(mapping), List.of("VPN", "Site", "Of"), L3VPN)).isInstanceOf(ValidationFailure.class).hasMessageContaining(message);
    }

    @Test
    void rowsOfOneServiceAreItsSites() {
        Table table = table("""
                Service,Tenant,Site,Device,Port,Tag,Role,Route target
                clinics,Tidewater Clinics,haven,haven-pe1,access-1,110,,64500:9001
                ferries,Northsound Ferries,quay,olvar-pe1,access-1,120,hub,
                clinics,,ternsay,ternsay-pe1,access-1,untagged,,
                """);
        TableServices read = TableServices.of(table, Mapping.guessed(table.headings(), Map.of("sites/role", "any"), L3VPN), L3VPN);
        assertThat(read.faults()).isEmpty();
        assertThat(read.services().get("clinics").document()).hasToString("{name=clinics, tenant=Tidewater Clinics, model=l3vpn, version=" + L3VPN.version() + ", parameters={sites=["
                + "{name=haven, device=haven-pe1, port=access-1, tag=110, role=any}, {name=ternsay, device=ternsay-pe1, port=access-1, tag=untagged, role=any}], route_target=64500:9001}}");
        assertThat(read.fault(new Problem("/services/0/parameters/sites/1/port", "there is no such port"))).contains(new Fault(4, "Port", "there is no such port"));
        assertThat(read.fault(new Problem("/services/1/parameters/sites/0/address", "is missing"))).contains(new Fault(3, "", "is missing"));
        assertThat(read.fault(new Problem("/services/1/tenant", "there is no tenant"))).contains(new Fault(3, "Tenant", "there is no tenant"));
    }

    /** What is wrong is told by line and column; services without a wrong cell are kept apart. */
    @Test
    void goodServicesAreKeptApart() {
        Table table = table("""
                service,tenant,rate,mtu
                first,Kelp & Co.,100,2000
                second,Kelp & Co.,fast,2000
                ,Kelp & Co.,100,2000
                third,Kelp & Co.,100,2000
                third,Skerry Council,100,
                fourth,,100,2000
                """);
        TableServices read = TableServices.of(table, Mapping.guessed(table.headings(), Map.of(), L2VPN), L2VPN);
        assertThat(read.faults()).containsExactly(new Fault(3, "rate", "'fast' is no whole number"), new Fault(4, "service", "is empty: it says which service the row is of"),
                new Fault(6, "tenant", "says Skerry Council, but line 5 says Kelp & Co. of the same service"), new Fault(7, "", "nothing says the tenant of fourth"));
        assertThat((List<?>) read.order("table").get("services")).hasSize(1);
    }

    /** A table that is made of services says just these. */
    @Test
    void aTableOfServicesSaysTheseServices() {
        long seed = Long.getLong("rilvan.seed", System.nanoTime());
        Random random = new Random(seed);
        List<String> headings = List.of("Service", "Tenant", "Site", "Device", "Port", "Tag", "MTU");
        for (int round = 0; round < 200; round++) {
            Map<String, Map<String, Object>> services = new LinkedHashMap<>();
            List<List<String>> rows = new ArrayList<>();
            for (int service = 0; service < 1 + random.nextInt(4); service++) {
                String name = "vpn-" + service;
                List<Object> sites = new ArrayList<>();
                for (int site = 0; site < 1 + random.nextInt(4); site++) {
                    Map<String, Object> said = new LinkedHashMap<>(Map.of("name", "site-" + site, "device", "pe" + random.nextInt(9), "port", "access, \"" + random.nextInt(9) + "\"", "tag", Integer.toString(random.nextInt(4000))));
                    rows.add(new ArrayList<>(List.of(name, "Tenant; " + service, "site-" + site, (String) said.get("device"), (String) said.get("port"), (String) said.get("tag"), "")));
                    if (random.nextBoolean()) {
                        int mtu = 576 + random.nextInt(9000);
                        said.put("mtu", mtu);
                        rows.get(rows.size() - 1).set(6, Integer.toString(mtu));
                    }
                    sites.add(said);
                }
                services.put(name, Map.of("name", name, "tenant", "Tenant; " + service, "model", "l3vpn", "version", L3VPN.version(), "parameters", Map.of("sites", sites)));
            }
            StringBuilder text = new StringBuilder(String.join(",", headings)).append('\n');
            rows.forEach(row -> text.append(String.join(",", row.stream().map(cell -> '"' + cell.replace("\"", "\"\"") + '"').toList())).append('\n'));
            TableServices read = TableServices.of(table(text.toString()), Mapping.guessed(headings, Map.of(), L3VPN), L3VPN);
            assertThat(read.faults()).as("seed %d", seed).isEmpty();
            Map<String, Object> documents = new LinkedHashMap<>();
            read.services().forEach((name, each) -> documents.put(name, each.document()));
            assertThat(documents).as("seed %d", seed).isEqualTo(services);
        }
    }
}
