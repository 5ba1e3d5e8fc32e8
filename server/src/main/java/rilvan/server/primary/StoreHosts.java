package rilvan.server.primary;

import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The hosts of a store, as its address names them.
 *
 * @param hosts each with its port
 * @param rest of the address: the database and how to connect
 */
record StoreHosts(List<String> hosts, String rest, String user, String password) {

    private static final Pattern ADDRESS = Pattern.compile("jdbc:postgresql://([^/]+,[^/]+)(/.*)");

    /** @return nothing where the address names one host only */
    static Optional<StoreHosts> of(String address, String user, String password) {
        Matcher several = ADDRESS.matcher(address);
        return several.matches() ? Optional.of(new StoreHosts(List.of(several.group(1).split(",")), several.group(2), user, password)) : Optional.empty();
    }

    String address(String host) {
        return "jdbc:postgresql://" + host + rest;
    }
}
