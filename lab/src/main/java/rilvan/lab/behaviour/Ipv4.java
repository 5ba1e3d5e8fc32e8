package rilvan.lab.behaviour;

/** An IPv4 network: address bits and length. */
record Ipv4(long bits, int length) {

    static long address(String text) {
        long bits = 0;
        for (String part : text.split("\\.")) {
            bits = bits << 8 | Integer.parseInt(part);
        }
        return bits;
    }

    static String text(long address) {
        return (address >> 24 & 255) + "." + (address >> 16 & 255) + "." + (address >> 8 & 255) + "." + (address & 255);
    }

    static Ipv4 network(String address, int length) {
        return new Ipv4(address(address) & mask(length), length);
    }

    static Ipv4 parse(String prefix) {
        String[] parts = prefix.split("/");
        return network(parts[0], Integer.parseInt(parts[1]));
    }

    @Override
    public String toString() {
        return text(bits) + "/" + length;
    }

    boolean holds(long address) {
        return (address & mask(length)) == bits;
    }

    private static long mask(int length) {
        return length == 0 ? 0 : 0xFFFFFFFFL << 32 - length & 0xFFFFFFFFL;
    }
}
