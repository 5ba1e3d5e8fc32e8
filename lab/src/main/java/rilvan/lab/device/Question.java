package rilvan.lab.device;

/** What a device can be asked about the network, whatever its family calls it: it is so, or the answer says why it is not. */
public enum Question {
    /** Whether a ping is answered: to an address, from one, in a table, of a size in bytes; all but the first may be empty. */
    PING,
    /** Whether a TCP connection is answered: to an address, to a port, from an address, in a table; the last two may be empty. */
    CONNECT,
    /** Whether a table has a route: to just a prefix, in a table; in the router's own where none is named. */
    ROUTE,
    /** Whether routes are exchanged: with who is at an address, in a table. */
    SESSION,
    /** Whether a table takes another device's routes: the device's own address, the table. */
    EXCHANGE,
    /** Whether a table imports routes of these VRFs only: the table, route distinguishers and route targets, each separated by commas and possibly none. */
    ORIGINS,
    /** Whether exactly a number of prefixes are taken: from who is at an address, in a table, the number. */
    PREFIXES,
    /** Whether hosts elsewhere are known: by a segment, those behind a device, port and part. */
    HOSTS,
    /** Whether a way is up: of a wire, bridge or segment, to a device's own address, and whether it flushes (yes unless empty, false or off). */
    WIRE,
    /** Whether a wire, bridge or segment is connected to these devices only: its name, their own addresses, separated by commas and possibly none. */
    PEERS,
    /** Whether a pseudowire is the standby for another: of a wire or bridge, to an address, for the one to an address, and whether it flushes. */
    STANDBY,
    /** Whether a bridge learns exactly a number of addresses: its name, the number. */
    STATIONS,
    /** Whether test frames come back: from a port, part and tags, to a device, port, part and tags, of a size in bytes. */
    FRAMES,
    /** Whether test frames arrive, which is asked like {@link #FRAMES}. */
    DELIVERY,
    /**
     * Whether packets come back through the segments' gateways: from a port, part, tags and a host's address, to a device, port, part,
     * tags and a host's address, of a size in bytes.
     */
    ROUTED,
    /** Whether a part of a port has just this rate and class: port, part, kbit/s, class or nothing. */
    TREATMENT,
    /** Whether a device is a segment's gateway: the segment, an address with its length, a MAC address, a table. */
    GATEWAY,
    /** Whether requests for an address are relayed: of a segment's hosts, to a server. */
    RELAY,
    /** Whether ports work as one: the bundle, how many are here, the other device that has some. */
    BUNDLE;

    /** Whether it is answered by trying: then nothing is known of what comes later. Otherwise by the state of things. */
    public boolean tries() {
        return this == PING || this == CONNECT || this == FRAMES || this == DELIVERY || this == ROUTED;
    }
}
