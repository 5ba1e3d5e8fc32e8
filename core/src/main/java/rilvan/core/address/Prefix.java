package rilvan.core.address;

import com.google.common.net.InetAddresses;
import java.math.BigInteger;

/**
 * An address with the length of its network: a prefix where the host bits are zero, an interface's address otherwise.
 *
 * @param bits the whole address as an unsigned number of {@code width} bits
 * @param length bits that name the network, 0 to {@code width}
 * @param width 32 for IPv4, 128 for IPv6
 */
public record Prefix(BigInteger bits, int length, int width) {

    /**
     * Reads {@code 192.0.2.0/31}, {@code 2001:db8::/64}, or an address alone, which is its own network.
     *
     * @throws IllegalArgumentException where the text is neither
     */
    public static Prefix parse(String text) {
        int slash = text.indexOf('/');
        String address = slash < 0 ? text : text.substring(0, slash);
        if (!InetAddresses.isInetAddress(address) || address.indexOf('%') >= 0) {
            throw new IllegalArgumentException("'" + text + "' is not an IP address or prefix");
        }
        // A literal: nothing is looked up.
        int width = address.indexOf(':') < 0 ? 32 : 128;
        BigInteger bits = InetAddresses.toBigInteger(InetAddresses.forString(address));
        return new Prefix(bits, slash < 0 ? width : length(text, slash + 1, width), width);
    }

    private static int length(String text, int from, int width) {
        int length = 0;
        for (int i = from; i < text.length() && length <= width; i++) {
            int digit = text.charAt(i) - '0';
            length = digit < 0 || digit > 9 || i > from + 2 ? width + 1 : 10 * length + digit;
        }
        if (from == text.length() || length > width) {
            throw new IllegalArgumentException("'" + text + "' needs a length of 0 to " + width + " after the /");
        }
        return length;
    }

    /** The network's address with zero host bits. */
    public Prefix network() {
        return new Prefix(bits.shiftRight(width - length).shiftLeft(width - length), length, width);
    }

    /** Whether the host bits are all zero. */
    public boolean isNetwork() {
        return equals(network());
    }

    public boolean contains(Prefix other) {
        return width == other.width && length <= other.length
                && bits.shiftRight(width - length).equals(other.bits.shiftRight(width - length));
    }

    public boolean overlaps(Prefix other) {
        return contains(other) || other.contains(this);
    }

    /** Whether a host may have this address: not the network's or the broadcast one, except where RFC 3021 and 6164 say so. */
    public boolean isHost() {
        if (width - length <= 1) {
            return true;
        }
        BigInteger host = bits.subtract(network().bits);
        BigInteger last = BigInteger.ONE.shiftLeft(width - length).subtract(BigInteger.ONE);
        return host.signum() != 0 && (width == 128 || !host.equals(last));
    }

    /**
     * An address of this network, counted from its start, with the network's length.
     *
     * @throws IllegalArgumentException where the network has fewer
     */
    public Prefix nth(long number) {
        BigInteger offset = BigInteger.valueOf(number);
        if (number < 0 || offset.bitLength() > width - length) {
            throw new IllegalArgumentException(network() + " has no address number " + number);
        }
        return new Prefix(network().bits.add(offset), length, width);
    }

    /** The address alone. */
    public String address() {
        byte[] bytes = new byte[width / 8];
        byte[] given = bits.toByteArray();
        int copied = Math.min(given.length, bytes.length);
        System.arraycopy(given, given.length - copied, bytes, bytes.length - copied, copied);
        if (width == 128) {
            return sixteen(bytes);
        }
        return (bytes[0] & 255) + "." + (bytes[1] & 255) + "." + (bytes[2] & 255) + "." + (bytes[3] & 255);
    }

    /** IPv6 text as RFC 5952 §4 wants it: lower case, the longest run of zero groups shortened. */
    private static String sixteen(byte[] bytes) {
        int[] groups = new int[8];
        for (int i = 0; i < 8; i++) {
            groups[i] = (bytes[2 * i] & 255) << 8 | bytes[2 * i + 1] & 255;
        }
        int start = -1;
        int longest = 1;
        for (int i = 0; i < 8; i++) {
            int run = 0;
            while (i + run < 8 && groups[i + run] == 0) {
                run++;
            }
            if (run > longest) {
                start = i;
                longest = run;
            }
        }
        StringBuilder text = new StringBuilder();
        for (int i = 0; i < 8; i++) {
            if (i == start) {
                text.append("::");
                i += longest - 1;
            } else {
                text.append(text.isEmpty() || text.charAt(text.length() - 1) == ':' ? "" : ":")
                        .append(Integer.toHexString(groups[i]));
            }
        }
        return text.toString();
    }

    @Override
    public String toString() {
        return address() + "/" + length;
    }
}
