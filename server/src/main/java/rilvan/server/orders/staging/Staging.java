package rilvan.server.orders.staging;

import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.plan.Stages;

/**
 * How an order is carried out in stages, as whoever places it says.
 *
 * @param places of each stage but the one that has all others, sites and devices
 * @param pause between the end of a stage and the next
 * @param undoes whether a stage that fails takes those before it back; otherwise they stay as they are
 * @param newBeforeOld whether what goes does so in a last stage of its own, when what comes is proven
 */
public record Staging(List<Set<String>> places, Duration pause, boolean undoes, boolean newBeforeOld) {

    private static final int MOST = 50;
    private static final Duration LONGEST = Duration.ofDays(31);
    private static final String KEEP = "keep";
    private static final String UNDO = "undo";

    public Staging {
        places = places.stream().map(place -> (Set<String>) new TreeSet<>(place)).toList();
    }

    /**
     * What somebody says of stages.
     *
     * @param first for each stage but the last its sites and devices, with commas between; nothing where there are no stages
     * @param pause in seconds
     * @param afterFailure what becomes of earlier stages where one fails: {@code keep} or {@code undo}
     * @param newBeforeOld whether what goes waits until what comes is proven
     * @return absent where there are no stages
     * @throws ValidationFailure naming each field at fault
     */
    public static Optional<Staging> read(List<String> first, Optional<Long> pause, Optional<String> afterFailure, boolean newBeforeOld) {
        List<Problem> problems = new ArrayList<>();
        if (first.isEmpty() && !newBeforeOld) {
            if (pause.isPresent() || afterFailure.isPresent()) {
                throw new ValidationFailure("/first", "is missing: pause and afterFailure are about stages");
            }
            return Optional.empty();
        }
        if (first.size() >= MOST) {
            problems.add(new Problem("/first", "an order has at most " + MOST + " stages"));
        }
        List<Set<String>> places = first.stream().map(text -> Stream.of(text.split(",")).map(String::strip).filter(name -> !name.isEmpty()).collect(Collectors.toSet())).toList();
        if (places.stream().anyMatch(Set::isEmpty)) {
            problems.add(new Problem("/first", "a stage names sites or devices"));
        }
        if (pause.filter(seconds -> seconds < 0 || seconds > LONGEST.toSeconds()).isPresent()) {
            problems.add(new Problem("/pause", "is from 0 to " + LONGEST.toSeconds() + " seconds"));
        }
        if (afterFailure.filter(text -> !Set.of(KEEP, UNDO).contains(text)).isPresent()) {
            problems.add(new Problem("/afterFailure", "must be " + KEEP + " or " + UNDO));
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return Optional.of(new Staging(places, Duration.ofSeconds(pause.orElse(0L)), afterFailure.filter(UNDO::equals).isPresent(), newBeforeOld));
    }

    /**
     * The devices of each stage.
     *
     * @throws ValidationFailure where a name is neither a site's nor a device's, or a device is in two stages
     */
    Stages in(Network network) {
        List<Problem> problems = new ArrayList<>();
        Set<String> sites = network.devices().values().stream().map(Device::site).collect(Collectors.toCollection(TreeSet::new));
        Set<String> seen = new HashSet<>();
        List<Set<String>> stages = places.stream().map(place -> place.stream().flatMap(name -> {
            Set<String> devices = network.devices().containsKey(name) ? Set.of(name)
                    : network.devices().values().stream().filter(device -> device.site().equals(name)).map(Device::name).collect(Collectors.toSet());
            if (devices.isEmpty()) {
                Set<String> known = new TreeSet<>(sites);
                known.addAll(network.devices().keySet());
                problems.add(new Problem("/first", "there is no site or device named '" + name + "'; " + KnownNames.instead(name, known)));
            }
            devices.stream().filter(device -> !seen.add(device)).findFirst().ifPresent(device -> problems.add(new Problem("/first", device + " is named for two stages")));
            return devices.stream();
        }).collect(Collectors.toSet())).toList();
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return new Stages(stages, newBeforeOld);
    }

    /** In one line: the same order in other stages is another request. */
    public String inWords() {
        return "stages " + places + " pause " + pause.toSeconds() + (undoes ? " " + UNDO : "") + (newBeforeOld ? " new before old" : "");
    }
}
