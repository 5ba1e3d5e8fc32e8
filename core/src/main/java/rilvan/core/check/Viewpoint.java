package rilvan.core.check;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.check.Observed.Coverage;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.network.Network.End;

/**
 * Where one check is looked from, and what is asked there. A place with a customer's router beyond it is looked at from that
 * router where it is known, which proves the service end to end; everything else from the provider's device, to the handoff.
 *
 * @param observer the device that is asked
 * @param request values for the dialect's request: what the check says of its beginning, {@code to} with what it says of its
 *     end, and between routers {@code vrf}, {@code source} and {@code destination}
 * @param target what is looked for, in words
 */
public record Viewpoint(Check check, String observer, Map<String, Object> request, String target, Coverage coverage) {

    /** In the end of a check: the port behind which somebody must be for it to be so. */
    private static final String BEHIND = "behind";

    public static Viewpoint of(Check check, Network network) {
        Map<String, Object> request = new LinkedHashMap<>(check.from());
        request.put("to", check.to());
        String device = (String) check.from().get("device");
        if (!check.from().containsKey("beyond")) {
            String target = Stream.concat(Stream.of("device", "behind", "address", "port", "prefix").map(check.to()::get).filter(Objects::nonNull).map(String::valueOf),
                    check.table().stream()).collect(Collectors.joining(" "));
            boolean missing = check.to().containsKey(BEHIND) && customerRouter((String) check.to().get("device"), (String) check.to().get(BEHIND), network).isEmpty();
            return new Viewpoint(check, device, request, target, missing ? Coverage.NOT_TESTABLE_YET : Coverage.TO_THE_HANDOFF);
        }
        Optional<Device> here = customerRouter(check.from(), network);
        Optional<Device> there = customerRouter(check.to(), network);
        if (here.isPresent()) {
            request.put("vrf", "");
        }
        request.put("source", check.from().get(here.isPresent() ? "beyond" : "address"));
        Object address = check.to().get(there.isPresent() ? "beyond" : "address");
        request.put("destination", address);
        return new Viewpoint(check, here.map(Device::name).orElse(device), request,
                there.map(Device::name).orElse((String) check.to().get("device")) + " " + address + Check.service(check.to()),
                here.isPresent() && there.isPresent() ? Coverage.END_TO_END : Coverage.TO_THE_HANDOFF);
    }

    /** Looked at before the customer has changed the router there: it fails no order. */
    public Observed customerToFollow(String words, Map<String, String> tells) {
        return new Observed(check, observer, target, Coverage.CUSTOMER_TO_FOLLOW, true, words, tells, "");
    }

    private static Optional<Device> customerRouter(Map<String, Object> place, Network network) {
        return customerRouter((String) place.get("device"), (String) place.get("port"), network);
    }

    private static Optional<Device> customerRouter(String device, String port, Network network) {
        return network.across(new End(device, port))
                .flatMap(end -> network.device(end.device())).filter(Device::isCustomers);
    }

    /** What was seen from here. */
    public Observed seen(boolean holds, String words) {
        return seen(holds, words, Map.of());
    }

    /** What was seen from here, and what the observer told besides. */
    public Observed seen(boolean holds, String words, Map<String, String> tells) {
        return new Observed(check, observer, target, coverage, holds, words, tells, "");
    }
}
