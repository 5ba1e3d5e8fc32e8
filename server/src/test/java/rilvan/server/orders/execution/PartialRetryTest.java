package rilvan.server.orders.execution;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Paths as devices name them, in our own terms. */
class PartialRetryTest {

    @ParameterizedTest
    @CsvSource(delimiter = '|', quoteCharacter = '`', textBlock = """
            /q:vpn/q:vrf[q:name='VPN-1001']/q:rd            | /vpn/vrf[VPN-1001]/rd
            /vpn/vrf[name="V"]                              | /vpn/vrf[V]
            /a:list[a:one='x'][a:two='y/z']/a:leaf          | /list[x,y/z]/leaf
            nc:rpc                                          | /
            ''                                              | /
            """)
    void areReadWithoutPrefixesAndKeysByTheirValues(String named, String path) {
        assertThat(PartialRetry.path(named)).hasToString(path);
    }
}
