package rilvan.core.dialect;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Map;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.Shipped;
import rilvan.core.dialect.Dialect.Observation;

/** What the shipped families are asked, and what is made of what they answer. */
class ObservationTest {

    private static final Map<String, Object> ASKED = Map.of("destination", "192.0.2.3", "source", "192.0.2.0", "vrf", "V", "size", 64);

    private static Observation reach(String family) {
        return Shipped.CATALOG.dialects().get(family).observations().get("reach");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "quern | <sent>3</sent><received>3</received> | true | 3 of 3 answered",
        "quern | <q:sent xmlns:q='urn:quern:operations'>3</q:sent><q:received xmlns:q='urn:x'>0</q:received><q:reason xmlns:q='urn:x'>no route</q:reason> | false | 0 of 3 answered: no route",
        "tarn  | <asked>3</asked><heard>0</heard><why>no route</why> | false | 0 of 3 answered: no route",
        "brae  | 3 sent, 3 received | true | 3 of 3 answered",
        "brae  | 3 sent, 0 received: no route | false | 0 of 3 answered: no route",
        // An answer that says nothing of it is no success.
        "quern | <ok/> | false | ' of  answered'",
    })
    void whetherAPacketCameBackIsReadInTheFamilysOwnWords(String family, String answer, boolean holds, String seen) {
        Observation.Interpretation reading = reach(family).read(answer, java.util.Map.of());
        assertThat(reading.passed()).isEqualTo(holds);
        assertThat(reading.value()).isEqualTo(seen);
    }

    /** What a family answers where all is well, and the value that people read of it. */
    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "quern | route    | <present>true</present> | present",
        "tarn  | route    | <there>on</there>       | present",
        "brae  | route    | route is there          | present",
        "quern | relay    | <up>true</up>           | enabled",
        "tarn  | relay    | <working>on</working>   | enabled",
        "quern | bundle   | <up>true</up>           | complete",
        "tarn  | bundle   | <working>on</working>   | complete",
        "quern | exchange | <up>true</up>           | received",
        "tarn  | exchange | <working>on</working>   | received",
        "quern | learning | <up>true</up>           | 500 addresses",
        "tarn  | learning | <working>on</working>   | 500 addresses",
        "brae  | learning | limit is set            | 500 addresses",
        "quern | rate     | <up>true</up>           | 50000 kbit/s",
        "tarn  | rate     | <working>on</working>   | 50000 kbit/s",
        "brae  | rate     | part does               | 50000 kbit/s",
        "quern | prefixes | <up>true</up>           | 3 prefixes",
        "brae  | prefixes | limit is set            | 3 prefixes",
    })
    void aPassedCheckHasAValueWithItsUnit(String family, String observation, String answer, String value) {
        Observation.Interpretation read = Shipped.CATALOG.dialects().get(family).observations().get(observation).read(answer,
                Map.of("to", Map.of("limit", 500, "rate", 50000, "count", 3)));
        assertThat(read.passed()).isTrue();
        assertThat(read.value()).isEqualTo(value);
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', value = {
        "quern | <hop>a</hop><hop>b in V</hop><hop>c</hop><hop-back>c</hop-back><hop-back>b in V</hop-back><lost>no route</lost> | a > b in V > c, and back c > b in V",
        "tarn  | <node xmlns='urn:tarn:config'>a</node><node xmlns='urn:tarn:config'>b</node> | a > b",
        "brae  | there a;there b in V;back  b in V;back  a;lost: no route | a > b in V, and back b in V > a",
        "brae  | refused: no such table | ''",
    })
    void theWayOfAPacketIsReadDeviceByDevice(String family, String answer, String way) {
        assertThat(reach(family).way().orElseThrow().read(answer.replace(';', '\n'))).isEqualTo(way);
    }

    @ParameterizedTest
    @CsvSource({"quern,<trace", "tarn,<path-probe", "brae,trace 192.0.2.3 from 192.0.2.0 in V"})
    void aFamilyIsAskedForTheWayWithWhatTheCheckAsked(String family, String start) {
        assertThat(reach(family).way().orElseThrow().request().fill(ASKED).strip()).startsWith(start).contains("192.0.2.3", "192.0.2.0", "V");
    }
}
