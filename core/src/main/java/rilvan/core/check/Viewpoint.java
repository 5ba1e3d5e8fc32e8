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
 * @param customers by customer's router at either end, its own address on the link there: without it nothing can be told from there
 */
public record Viewpoint(Check check, String observer, Map<String, Object> request, String target, Coverage coverage, Map<String, String> customers) {

    /** In the end of a check: the port behind which somebody must be for it to be so. */
    private static final String BEHIND = "behind";
    /** At either end of a check: the customer's router on the link. */
    private static final String BEYOND = "beyond";
    private static final String ADDRESS = "address";
    private static final long SMALL = 100;

    /** The device that is asked for a check: the customer's router beyond the place where it begins, where that is known. */
    public static String observer(Check check, Network network) {
        String device = (String) check.from().get("device");
        return check.from().containsKey(BEYOND) ? customerRouter(check.from(), network).map(Device::name).orElse(device) : device;
    }

    public static Viewpoint of(Check check, Network network) {
        String observer = observer(check, network);
        if (!check.from().containsKey(BEYOND)) {
            String target = Stream.concat(Stream.of("device", "behind", "address", "port", "prefix").map(check.to()::get).filter(Objects::nonNull).map(String::valueOf),
                    check.table().stream()).collect(Collectors.joining(" "));
            boolean missing = check.to().containsKey(BEHIND) && customerRouter((String) check.to().get("device"), (String) check.to().get(BEHIND), network).isEmpty();
            return new Viewpoint(check, observer, request(located(check.from(), network), located(check.to(), network), false, false), target, missing ? Coverage.NOT_TESTABLE_YET : Coverage.TO_THE_HANDOFF, Map.of());
        }
        Optional<Device> here = customerRouter(check.from(), network);
        Optional<Device> there = customerRouter(check.to(), network);
        Map<String, Object> request = request(located(check.from(), network), located(check.to(), network), here.isPresent(), there.isPresent());
        Map<String, String> customers = new LinkedHashMap<>();
        here.ifPresent(router -> customers.put(router.name(), String.valueOf(check.from().get(BEYOND))));
        there.ifPresent(router -> customers.put(router.name(), String.valueOf(check.to().get(BEYOND))));
        return new Viewpoint(check, observer, request,
                there.map(Device::name).orElse((String) check.to().get("device")) + " " + request.get("destination") + Check.service(check.to()),
                here.isPresent() && there.isPresent() ? Coverage.END_TO_END : Coverage.TO_THE_HANDOFF, customers);
    }

    /** The values of a request by which a router is asked whether it has an address of its own: a packet from it to itself. */
    public Map<String, Object> toItself(String address) {
        Map<String, Object> itself = new LinkedHashMap<>(request);
        itself.put("vrf", "");
        itself.put("source", address);
        itself.put("destination", address);
        itself.put("size", SMALL);
        return itself;
    }

    /** An end of a check, with the loopback address of its device. */
    public static Map<String, Object> located(Map<String, Object> place, String loopback) {
        Map<String, Object> located = new LinkedHashMap<>(place);
        located.put("loopback", loopback);
        return located;
    }

    private static Map<String, Object> located(Map<String, Object> place, Network network) {
        return located(place, network.device(String.valueOf(place.get("device"))).map(Device::loopback).orElse(""));
    }

    /**
     * The values that a dialect's request sees.
     *
     * @param fromCustomer whether it is asked on the customer's router beyond the place where the check begins
     * @param toCustomer whether what is looked for is the customer's router beyond the place where it ends
     */
    public static Map<String, Object> request(Map<String, Object> from, Map<String, Object> to, boolean fromCustomer, boolean toCustomer) {
        Map<String, Object> request = new LinkedHashMap<>(from);
        request.put("to", to);
        if (from.containsKey(BEYOND)) {
            if (fromCustomer) {
                request.put("vrf", "");
            }
            request.put("source", from.get(fromCustomer ? BEYOND : ADDRESS));
            request.put("destination", to.get(toCustomer ? BEYOND : ADDRESS));
        }
        return request;
    }

    /** Looked at before the customer has changed the router there: it fails no order. */
    public Observed customerToFollow(String words, Map<String, String> tells) {
        return new Observed(check, observer, target, Coverage.CUSTOMER_TO_FOLLOW, true, words, tells, "");
    }

    /** What cannot be looked at from here: it says nothing of the service. */
    public Observed notTestable(String why) {
        return new Observed(check, observer, target, Coverage.NOT_TESTABLE_YET, true, why, Map.of(), "");
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
