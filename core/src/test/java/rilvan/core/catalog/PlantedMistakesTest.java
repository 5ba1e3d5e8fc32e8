package rilvan.core.catalog;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import java.nio.file.Files;
import java.util.Map;
import java.util.TreeMap;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.document.Document;
import rilvan.core.document.Folder;
import rilvan.core.document.ValidationFailure;
import rilvan.core.network.NetworkDocument;

/** One mistake after another in what ships: publishing names each, where it is and what would do. */
class PlantedMistakesTest {

    private static Folder planted(String place, String file, String from, String to) throws Exception {
        Release shipped = Release.read(Shipped.MODELS, Shipped.MODELS.resolve(place));
        Map<String, String> texts = new TreeMap<>(shipped.folder().texts());
        String text = texts.get(file);
        assertThat(text).as(file).contains(from);
        int at = text.indexOf(from);
        texts.put(file, text.substring(0, at) + to + text.substring(at + from.length()));
        return Folder.of(place, texts);
    }

    private static void publish(Folder folder) {
        Release release = Release.of(folder);
        switch (release.kind()) {
            case VOCABULARY -> release.vocabulary();
            case DIALECT -> release.triedDialect(Shipped.VOCABULARY);
            case MODEL -> {
                release.model(Shipped.VOCABULARY, Shipped.CATALOG.versions());
                release.checkNames(Shipped.SKERRA, Shipped.CATALOG.models().keySet());
            }
        }
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '~', textBlock = """
        # Templates of dialects.
        dialects/quern   | clauses/vrf.xml       | ${name}              | ${nam}                | nam
        dialects/quern   | clauses/vrf.xml       | <rd>                 | <rdd>                 | rdd
        dialects/quern   | clauses/vrf.xml       | <#if paths gt 1>     | <#if path gt 1>       | path
        dialects/quern   | clauses/vrf.xml       | ${mac}               | ${mack}               | mack
        dialects/quern   | clauses/vrf.xml       | </rd>                | </rf>                 | clauses/vrf.xml
        dialects/tarn    | clauses/vrf.xml       | ${rd}                | ${distinguisher}      | distinguisher
        dialects/brae    | clauses/vrf.txt       | rd ${rd}             | rdx ${rd}             | rdx
        dialects/brae    | clauses/vrf.txt       | ${rd}                | ${rdd}                | rdd
        # Requests and answers of observations.
        dialects/quern   | observations/reach.xml | ${destination}      | ${destinaton}         | destinaton
        dialects/quern   | observations/reach.xml | </size>             | </sise>               | no XML element
        dialects/brae    | observations/frames.txt | ${size}            | ${sise}               | sise
        dialects/brae    | dialect.yaml          | received: '(\\d+) received' | received: '\\d+ received' | has no group
        dialects/brae    | dialect.yaml          | pass: "=received != '' && | pass: "=           | an answer without any of its values
        dialects/brae    | dialect.yaml          | value: "=yes != '' ? request['to.limit'] | value: "=request['to.limt'] | to.limt
        dialects/brae    | dialect.yaml          | exchange:             | exchnge:              | the nearest is exchange
        # Statement tables and dialects.
        dialects/frr     | statements.table      | outlives=namespace   | outlives=namespaces   | namespaces
        dialects/frr     | clauses/vrf.txt       | ${device.loopback}   | ${device.lopback}     | lopback
        dialects/frr     | clauses/vrf.txt       | settings.as_number   | settings.as           | as
        dialects/frr     | clauses/segment.txt   | replication != "ingress" | replication != "none" | replicates at the ingress only
        dialects/brae    | statements.table      | {number:1..64}       | {number:adress}       | adress
        dialects/brae    | statements.table      | rd single            | rd singel             | singel
        dialects/brae    | statements.table      | refers=bundle        | refers=bundel         | bundel
        dialects/quern   | dialect.yaml          | session: netconf     | session: netcon       | netcon
        # Service models.
        # Services within services.
        services/offices | model.yaml            | model: l3vpn         | model: l3vpm          | l3vpm
        services/offices | model.yaml            | model: vpls⏎    version: 2 | model: vpls⏎    version: 7 | has no version 7
        services/offices | model.yaml            | model: vpls          | model: offices        | does not contain services of itself
        services/offices | model.yaml            | item: { name: "=o.name", device | item: { nam: "=o.name", device | nam
        services/offices | model.yaml            | port: "=o.port", tag: "=o.phone_tag" | tag: "=o.phone_tag" | 'port' is missing
        services/offices | model.yaml            | tag: "=o.phone_tag"  | tag: "=o.phone_tg"   | phone_tg
        services/offices | model.yaml            | each: o in phones    | each: o in phone     | phone
        services/offices | model.yaml            | class: voice         | class: loud          | loud
        services/offices | model.yaml            | - name: data         | - name: Data         | 'Data' is not what a name can end with
        services/offices | model.yaml            | - when: "=phones.size() > 1"⏎    name: phones | - name: data | two services are named 'data'
        services/offices | model.yaml            | name: phones⏎        | name: phones-{o.name}⏎ | undeclared reference to 'o'
        services/l2vpn   | model.yaml            | at: device, of       | at: devise, of        | devise
        services/l2vpn   | model.yaml            | required: [name, device | required: [nam, device | nam
        services/l2vpn   | model.yaml            | default: ldp         | default: lpd          | lpd
        services/l2vpn   | model.yaml            | minimum: 576, maximum: 9192, default: 1500 | minimum: 576, maximum: 9192, default: 15000 | 15000
        services/l2vpn   | model.yaml            | refers: device       | refers: devise        | devise
        services/l2vpn   | model.yaml            | format: label        | format: lable         | label
        services/l2vpn   | model.yaml            | of: [pe, npe, upe] } | of: [pe, npe, uep] }  | uep
        services/l2vpn   | model.yaml            | of: [access] }        | of: [acces] }         | acces
        services/l2vpn   | model.yaml            | pool: access-tag      | pool: acess-tag       | access-tag
        services/l3vpn   | model.yaml            | of: [l3vpn]           | of: [l3vnp]           | l3vnp
        services/l2vpn   | model.yaml            | name: "=e.name"     | name: "=e.nam"             | nam
        services/l2vpn   | model.yaml            | at: e.tag }          | at: e.tagg }          | tagg
        services/l2vpn   | model.yaml            | clause: circuit      | clause: circuitt      | circuit
        services/l2vpn   | model.yaml            | on: "=e.device"      | on: "=e.devise"       | devise
        services/l3vpn   | model.yaml            | clause: announcement | clause: anouncement   | announcement
        services/l2vpn   | tests.yaml            | - kelp-works-wire    | - kelp-work-wire      | kelp-work-wire
        services/l2vpn   | tests.yaml            | order: kelp-works-wire | order: kelp-work-wire | kelp-work-wire
        services/l3vpn   | model.yaml            | version: 3, domain   | version: 4, domain    | 4
        services/l3vpn   | model.yaml            | version: 3, domain   | versoin: 3, domain    | versoin
        services/l3vpn   | model.yaml            | say: "               | say: "{nothing.here}  | nothing
        # What models hand to shared rules.
        services/l2vpn   | model.yaml            | rules: own-name      | rules: own-nam        | the nearest is own-name
        services/l2vpn   | model.yaml            | given: { name: "=e.name" | given: { nam: "=e.name" | 'nam' is not known here
        services/l2vpn   | model.yaml            | , kind: ends }       |  }                    | 'kind' is missing
        services/l2vpn   | model.yaml            | repeated: "=repeated" | repeated: "=mtu"     | yields int
        services/vpls    | model.yaml            | at: { rate: c.rate } | at: { rate: c.rat }   | rat
        services/vpls    | model.yaml            | ⏎    at: { rate: c.rate } | ⏎               | rate is worked out; say under at
        # The vocabulary.
        .                | vocabulary.yaml       | "=bundled_by == ''"  | "=bundeld_by == ''"   | undeclared reference to 'bundeld_by'
        .                | vocabulary.yaml       | "=mtu <= most"       | "=mtu + most"         | yields int
        .                | vocabulary.yaml       | at: theirs           | at: thiers            | thiers
        .                | vocabulary.yaml       | say: "{port} of {device} is in | say: "{prt} of {device} is in | prt
        .                | vocabulary.yaml       | enum: [accept, refuse] | enumm: [accept, refuse] | enumm
        .                | vocabulary.yaml       | exercises: [vrf, attachment, | exercises: [vfr, attachment, | vfr
        .                | vocabulary.yaml       | required: [name, description, rd | required: [nam, description, rd | nam
        .                | vocabulary.yaml       | default: last, enum  | default: lats, enum   | lats
        """)
    void publishingNamesTheMistake(String place, String file, String from, String to, String named) throws Exception {
        Folder folder = place.equals(".") ? Folder.of("", Map.of(file, Files.readString(Shipped.MODELS.resolve(file)).replace(from, to))) : planted(place, file, from.replace("⏎", "\n"), to.replace("⏎", "\n"));
        ValidationFailure refused = catchThrowableOfType(ValidationFailure.class, () -> publish(folder));
        assertThat(refused).as("it came through").isNotNull();
        assertThat(refused.problems()).as(refused.getMessage()).hasSizeLessThan(6);
        assertThat(refused.getMessage()).contains(named);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', textBlock = """
        from: 1001  | from: 900001 | is below from
        """)
    void theNetworkNamesTheMistake(String from, String to, String named) throws Exception {
        String text = Files.readString(Shipped.MODELS.resolve("demo/network.yaml"));
        assertThat(text).contains(from);
        ValidationFailure refused = catchThrowableOfType(ValidationFailure.class, () -> NetworkDocument.read(Document.read(text.replaceFirst(from, to))));
        assertThat(refused).as("it came through").isNotNull();
        assertThat(refused.getMessage()).contains(named);
    }
}
