package rilvan.server.events;

import java.net.Inet6Address;
import java.net.InetAddress;
import java.net.URI;
import java.net.UnknownHostException;
import java.util.Optional;

/** Whether an address may be sent to: what only this machine or its own network can reach is not for whoever registers webhooks to reach through it. */
final class PublicAddress {

    private PublicAddress() {}

    /**
     * What is wrong with an address; absent where nothing is. The addresses of its host stay known to this process for some seconds, so that what was looked at is what is sent to.
     *
     * @param privateToo whether the installation allows addresses of its own network
     */
    static Optional<String> fault(URI address, boolean privateToo) {
        if (!("https".equals(address.getScheme()) || "http".equals(address.getScheme())) || address.getHost() == null || address.getUserInfo() != null || address.getFragment() != null) {
            return Optional.of("'" + address + "' is no address that can be sent to; it begins with https:// and a host, and has neither a name, a password nor a fragment");
        }
        if (privateToo) {
            return Optional.empty();
        }
        if (address.getScheme().equals("http")) {
            return Optional.of("'" + address + "' is not encrypted; use https://, or have rilvan.webhooks.private-addresses set where it is in a network of your own");
        }
        try {
            for (InetAddress each : InetAddress.getAllByName(address.getHost())) {
                if (isPrivate(each)) {
                    return Optional.of(address.getHost() + " is " + each.getHostAddress() + ", which is no public address; have rilvan.webhooks.private-addresses set if such addresses are to be sent to");
                }
            }
            return Optional.empty();
        } catch (UnknownHostException e) {
            return Optional.of("the host " + address.getHost() + " is not known");
        }
    }

    /** Loopback, link-local, private and shared ranges (RFC 6890), multicast, and IPv6 addresses that are IPv4 ones in other words. */
    static boolean isPrivate(InetAddress address) {
        byte[] bytes = address.getAddress();
        if (address.isLoopbackAddress() || address.isAnyLocalAddress() || address.isLinkLocalAddress() || address.isSiteLocalAddress() || address.isMulticastAddress()) {
            return true;
        }
        if (address instanceof Inet6Address) {
            boolean unique = (bytes[0] & 0xfe) == 0xfc;
            boolean translated = bytes[0] == 0 && bytes[1] == 0x64 && (bytes[2] & 0xff) == 0xff && (bytes[3] & 0xff) == 0x9b;
            boolean tunnelled = bytes[0] == 0x20 && bytes[1] == 0x02;
            boolean none = bytes[0] == 0 && bytes[1] == 0 && bytes[2] == 0 && bytes[3] == 0;
            return unique || translated || tunnelled || none;
        }
        int first = bytes[0] & 0xff;
        int second = bytes[1] & 0xff;
        return first == 0 || first == 100 && second >= 64 && second < 128 || first == 192 && second == 0 && bytes[2] == 0 || first == 198 && (second == 18 || second == 19) || first >= 240;
    }
}
