package rilvan.protocol;

import java.util.Optional;
import java.util.Set;
import rilvan.core.dialect.CommandLine;

/**
 * How to reach and sign in to a device.
 *
 * @param hostKeys the SHA-256 fingerprints that its host key may have, as {@code SHA256:…}: one for each kind of key that it has; none where none is trusted yet
 * @param commandLine how its command line is spoken with; absent where it speaks NETCONF
 */
public record Target(String device, String address, int port, String user, String password, Set<String> hostKeys,
        Optional<CommandLine> commandLine) {

    /** Without the password, so that it reaches no log. */
    @Override
    public String toString() {
        return device + " at " + address + ":" + port;
    }
}
