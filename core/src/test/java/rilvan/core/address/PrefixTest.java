package rilvan.core.address;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class PrefixTest {

    @ParameterizedTest
    @CsvSource({"192.0.2.9/24,192.0.2.0/24", "192.0.2.1,192.0.2.1/32", "0.0.0.0/0,0.0.0.0/0", "2001:DB8::1/64,2001:db8::/64",
        "2001:db8:0:0:1:0:0:1,2001:db8::1:0:0:1/128", "::/0,::/0"})
    void aNetworkIsWrittenInOneWay(String text, String network) {
        assertThat(Prefix.parse(text).network()).hasToString(network);
    }

    @ParameterizedTest
    @ValueSource(strings = {"", "192.0.2", "192.0.2.256", "192.0.2.0/33", "192.0.2.0/", "a.b.c.d", "localhost", "2001:db8::/129", ":::", "1.2.3.4/8/9", "1.2.3.4/-1",
        "1.2.3.4/0008", "2001:db8::1%eth0", "01.2.3.4"})
    void whatIsNoAddressIsRefused(String text) {
        assertThatThrownBy(() -> Prefix.parse(text)).isInstanceOf(IllegalArgumentException.class);
    }

    @ParameterizedTest
    @CsvSource({"192.0.2.0/31,true", "192.0.2.1/31,true", "192.0.2.0/30,false", "192.0.2.3/30,false", "192.0.2.2/30,true", "192.0.2.7/32,true",
        "2001:db8::/64,false", "2001:db8::ffff/112,true", "2001:db8::/127,true"})
    void aHostHasNeitherTheNetworksNorTheBroadcastAddress(String text, boolean host) {
        assertThat(Prefix.parse(text).isHost()).isEqualTo(host);
    }

    @ParameterizedTest
    @CsvSource({"192.0.2.0/24,192.0.2.128/25,true", "192.0.2.128/25,192.0.2.0/24,true", "192.0.2.0/25,192.0.2.128/25,false",
        "0.0.0.0/0,203.0.113.7/32,true", "::/0,192.0.2.0/24,false"})
    void prefixesOverlapWhereOneHoldsTheOther(String a, String b, boolean overlap) {
        assertThat(Prefix.parse(a).overlaps(Prefix.parse(b))).isEqualTo(overlap);
    }
}
