package rilvan.core.network;

import java.util.List;
import java.util.Optional;

/**
 * A device that Rilvan knows.
 *
 * @param family name of the dialect it speaks
 * @param role what it is in the network: {@code pe}, {@code ce} …
 * @param site where it stands
 * @param address the address its management session is opened to
 * @param managementPort TCP port of that session
 * @param credential name of the credential to sign in with; the credential itself lives in the store, encrypted
 */
public record Device(
        String name, String family, String role, String site, String address, int managementPort, String credential,
        List<Port> ports) {

    public Device {
        ports = List.copyOf(ports);
    }

    /** A port and what it is for: {@code access} or {@code core}. */
    public record Port(String name, String role) {}

    public Optional<Port> port(String portName) {
        return ports.stream().filter(port -> port.name().equals(portName)).findFirst();
    }
}
