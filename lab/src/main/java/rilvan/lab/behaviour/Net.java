package rilvan.lab.behaviour;

/**
 * A network of IP: those addresses that have their first bits in common.
 *
 * @param length how many bits
 */
record Net(Address first, int length) {

    /** The network that an address with a length, {@code 192.0.2.1/31}, is in. */
    static Net of(String text) {
        int slash = text.indexOf('/');
        return of(Address.parse(text.substring(0, slash)), Integer.parseInt(text.substring(slash + 1)));
    }

    static Net of(Address within, int length) {
        int host = within.width() - length;
        return new Net(new Address(within.bits().shiftRight(host).shiftLeft(host), within.width()), length);
    }

    boolean holds(Address address) {
        int host = first.width() - length;
        return address.width() == first.width() && address.bits().shiftRight(host).equals(first.bits().shiftRight(host));
    }

    @Override
    public String toString() {
        return first + "/" + length;
    }
}
