package rilvan.lab.behaviour;

import com.google.common.net.InetAddresses;
import java.math.BigInteger;

/**
 * An address of IP.
 *
 * @param bits as an unsigned number of {@code width} bits
 * @param width 32 for IPv4, 128 for IPv6
 */
record Address(BigInteger bits, int width) {

    static Address parse(String text) {
        if (!InetAddresses.isInetAddress(text)) {
            throw new IllegalArgumentException("'" + text + "' is not an IP address");
        }
        return new Address(InetAddresses.toBigInteger(InetAddresses.forString(text)), text.indexOf(':') < 0 ? 32 : 128);
    }

    @Override
    public String toString() {
        return InetAddresses.toAddrString(width == 32 ? InetAddresses.fromIPv4BigInteger(bits) : InetAddresses.fromIPv6BigInteger(bits));
    }
}
