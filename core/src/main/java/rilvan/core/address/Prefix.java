package rilvan.core.address;

import java.math.BigInteger;
import java.net.InetAddress;
import java.net.UnknownHostException;
import java.util.regex.Pattern;

/**
 * An address with the length of its network: a prefix where the host bits are zero, an interface's address otherwise.
 *
 * @param bits the whole address as an unsigned number of {@code width} bits
 * @param length bits that name the network, 0 to {@code width}
 * @param width 32 for IPv4, 128 for IPv6
 */
public record Prefix(BigInteger bits, int length, int width) {

    private static final Pattern IPV4 = Pattern.compile("(25[0-5]|2[0-4]\\d|1?\\d?\\d)(\\.(25[0-5]|2[0-4]\\d|1?\\d?\\d)){3}");
    private static final Pattern IPV6 = Pattern.compile("[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*");

    /**
     * Reads {@code 192.0.2.0/31}, {@code 2001:db8::/64}, or an address alone, which is its own network.
     *
     * @throws IllegalArgumentException where the text is neither
     */
    public static Prefix parse(String text) {
        String[] parts = text.split("/", -1);
        String address = parts[0];
        boolean four = IPV4.matcher(address).matches();
        if (parts.length > 2 || !four && !IPV6.matcher(address).matches()) {
            throw new IllegalArgumentException("'" + text + "' is no IP address or prefix");
        }
        byte[] bytes;
        try {
            // A literal, as the patterns made sure: nothing is looked up.
            bytes = InetAddress.getByName(address).getAddress();
        } catch (UnknownHostException e) {
            throw new IllegalArgumentException("'" + text + "' is no IP address or prefix");
        }
        int width = four ? 32 : 128;
        int length = width;
        if (parts.length == 2) {
            if (!parts[1].matches("\\d{1,3}") || Integer.parseInt(parts[1]) > width) {
                throw new IllegalArgumentException("'" + text + "' needs a length of 0 to " + width + " after the /");
            }
            length = Integer.parseInt(parts[1]);
        }
        return new Prefix(new BigInteger(1, bytes), length, width);
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
     * @throws IllegalArgumentException where the network has not so many
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
