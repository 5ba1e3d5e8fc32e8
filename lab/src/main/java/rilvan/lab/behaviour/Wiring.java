package rilvan.lab.behaviour;

import java.util.List;
import java.util.Optional;

/** Which port is wired to which. */
public record Wiring(List<Wire> wires) {

    public record End(String device, String port) {}

    public record Wire(End a, End b) {}

    Optional<End> across(End end) {
        return wires.stream().filter(wire -> wire.a().equals(end) || wire.b().equals(end))
                .map(wire -> wire.a().equals(end) ? wire.b() : wire.a()).findFirst();
    }
}
