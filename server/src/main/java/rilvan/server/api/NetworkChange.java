package rilvan.server.api;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import rilvan.core.network.Device;
import rilvan.core.network.Network;

/** What a network has otherwise than the one before, for the log of acts. */
record NetworkChange(Extent extent, Set<String> added, Set<String> removed, List<String> changed, boolean links, Set<String> pools, boolean settings) {

    /** How large a network is. */
    record Extent(int devices, int links, int pools, int settings) {

        static Extent of(Network network) {
            return new Extent(network.devices().size(), network.links().size(), network.pools().size(), network.settings().size());
        }
    }

    static NetworkChange between(Network before, Network after) {
        return new NetworkChange(Extent.of(after), without(after.devices().keySet(), before.devices().keySet()), without(before.devices().keySet(), after.devices().keySet()),
                after.devices().values().stream().filter(device -> before.device(device.name()).filter(former -> !former.equals(device)).isPresent()).map(Device::name).toList(),
                !before.links().equals(after.links()), after.pools().keySet().stream().filter(pool -> !after.pools().get(pool).equals(before.pools().get(pool))).collect(Collectors.toSet()),
                !before.settings().equals(after.settings()));
    }

    private static Set<String> without(Set<String> some, Set<String> others) {
        return some.stream().filter(each -> !others.contains(each)).collect(Collectors.toCollection(TreeSet::new));
    }
}
