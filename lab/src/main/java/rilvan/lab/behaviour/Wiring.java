package rilvan.lab.behaviour;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Which port is wired to which. */
public final class Wiring {

    private final Map<End, End> across = new HashMap<>();

    public Wiring(List<Wire> wires) {
        wires.forEach(wire -> {
            across.putIfAbsent(wire.a(), wire.b());
            across.putIfAbsent(wire.b(), wire.a());
        });
    }

    public record End(String device, String port) {}

    public record Wire(End a, End b) {}

    Optional<End> across(End end) {
        return Optional.ofNullable(across.get(end));
    }
}
