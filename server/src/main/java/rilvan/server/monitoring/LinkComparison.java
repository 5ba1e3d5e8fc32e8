package rilvan.server.monitoring;

import java.util.List;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.check.Check;
import rilvan.core.check.LinkState;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Network.Link;
import rilvan.server.inventory.StoredPlanningSource;

/** Compares the two ends of links, as the devices tell. */
@Component
public class LinkComparison {

    private final StoredPlanningSource source;
    private final CheckRunner checkRunner;

    public LinkComparison(StoredPlanningSource source, CheckRunner checkRunner) {
        this.source = source;
        this.checkRunner = checkRunner;
    }

    /** The links that have an end on one of some devices. */
    public List<Link> on(Set<String> devices) {
        return all().stream().filter(link -> devices.contains(link.a().device()) || devices.contains(link.b().device())).toList();
    }

    /** The links of the whole network. */
    public List<Link> all() {
        return source.network().links();
    }

    /** Looks at links once. */
    public CompletableFuture<List<LinkState>> look(List<Link> links) {
        Network network = source.network();
        List<Check> checks = links.stream().flatMap(link -> Stream.of(LinkState.check(link.a(), link.b()), LinkState.check(link.b(), link.a()))).toList();
        return checkRunner.look(checks).thenApply(seen -> IntStream.range(0, links.size())
                .mapToObj(i -> LinkState.of(links.get(i), seen.get(2 * i), seen.get(2 * i + 1), isHandoff(network, links.get(i)))).toList());
    }

    private static boolean isHandoff(Network network, Link link) {
        return Stream.of(link.a(), link.b()).flatMap(end -> network.device(end.device()).stream()).anyMatch(Device::isCustomers);
    }
}
