package rilvan.protocol;

import java.util.Optional;
import rilvan.core.dialect.CommandLine;

/**
 * How to reach and sign in to a device.
 *
 * @param hostKey the SHA-256 fingerprint its host key must have, as {@code SHA256:…}; absent where none is trusted yet
 * @param commandLine how its command line is spoken with; absent where it speaks NETCONF
 */
public record Target(String device, String address, int port, String user, String password, Optional<String> hostKey,
        Optional<CommandLine> commandLine) {

    /** Without the password, so that it reaches no log. */
    @Override
    public String toString() {
        return device + " at " + address + ":" + port;
    }
}
