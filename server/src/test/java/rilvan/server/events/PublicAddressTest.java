package rilvan.server.events;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.InetAddress;
import java.net.URI;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class PublicAddressTest {

    /** Written as numbers, so that nobody is asked for names. */
    @ParameterizedTest
    @CsvSource({"127.0.0.1, true", "127.9.9.9, true", "0.0.0.0, true", "10.1.2.3, true", "172.16.0.1, true", "172.32.0.1, false", "192.168.4.4, true", "169.254.169.254, true", "100.64.0.1, true",
        "100.128.0.1, false", "192.0.0.8, true", "192.0.2.1, false", "198.18.0.1, true", "198.20.0.1, false", "224.0.0.1, true", "255.255.255.255, true", "203.0.113.7, false",
        "::1, true", "::, true", "fe80::1, true", "fc00::1, true", "fd12::1, true", "ff02::1, true", "2001:db8::1, false", "64:ff9b::7f00:1, true", "2002:7f00:1::, true", "::ffff:127.0.0.1, true"})
    void whatOnlyOnesOwnNetworkReachesIsNoPublicAddress(String address, boolean isPrivate) throws Exception {
        assertThat(PublicAddress.isPrivate(InetAddress.getByName(address))).isEqualTo(isPrivate);
        String host = address.contains(":") ? "[" + address + "]" : address;
        assertThat(PublicAddress.fault(URI.create("https://" + host + "/hook"), false).isPresent()).isEqualTo(isPrivate);
        assertThat(PublicAddress.fault(URI.create("https://" + host + "/hook"), true)).isEmpty();
    }

    @Test
    void whatIsNotEncryptedStaysInOnesOwnNetwork() {
        assertThat(PublicAddress.fault(URI.create("http://203.0.113.7/hook"), false)).get().asString().contains("is not encrypted");
        assertThat(PublicAddress.fault(URI.create("ftp://203.0.113.7/hook"), true)).get().asString().contains("is no address that can be sent to");
        assertThat(PublicAddress.fault(URI.create("https:///hook"), true)).isPresent();
    }
}
