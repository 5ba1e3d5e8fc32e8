package rilvan.core.network;

import java.util.List;
import java.util.Optional;

/**
 * A device that Rilvan knows.
 *
 * @param family name of the dialect it speaks
 * @param role what it is in the network: {@code pe}, {@code ce} …
 * @param site its location
 * @param address the address its management session is opened to
 * @param managementPort TCP port of that session
 * @param credential name of the credential to sign in with; the credential itself lives in the store, encrypted
 * @param loopback the address other devices of the network know it by; empty where it has none
 * @param inService whether services may be put on it
 * @param at its place on the map: to the right and down, each from 0 to 1000; empty where that is not said
 */
public record Device(
        String name, String family, String role, String site, String address, int managementPort, String credential,
        String loopback, boolean inService, List<Integer> at, List<Port> ports) {

    public Device {
        at = List.copyOf(at);
        ports = List.copyOf(ports);
    }

    /**
     * A port.
     *
     * @param role what it is for: {@code access}, {@code core} or {@code member} of a bundle
     * @param mtu the largest payload it passes, in bytes
     * @param speed in kbit/s
     */
    public record Port(String name, String role, int mtu, long speed) {}

    /** Whether it is a customer's router: Rilvan looks from it, and orders nothing on it. */
    public boolean isCustomers() {
        return role.equals("ce");
    }

    public Optional<Port> port(String portName) {
        return ports.stream().filter(port -> port.name().equals(portName)).findFirst();
    }
}
