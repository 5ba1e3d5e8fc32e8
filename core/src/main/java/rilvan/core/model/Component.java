package rilvan.core.model;

import java.util.Map;
import java.util.Optional;
import java.util.Set;
import rilvan.core.document.Document;
import rilvan.core.model.Loop.LoopBindings;
import rilvan.core.model.ServiceModel.Contained;

/** A service that another one contains: it is added, changed and removed with that one, has a ledger entry, numbers and checks of its own, and is of a model of its own. */
public final class Component {

    private static final String PARAMETERS = "/parameters";

    private final ServiceDocument service;
    private final Contained contained;
    private final LoopBindings round;
    private final String outside;

    private Component(ServiceDocument service, Contained contained, LoopBindings round, String outside) {
        this.service = service;
        this.contained = contained;
        this.round = round;
        this.outside = outside;
    }

    /**
     * @param outside where the parameters of the service that contains it stand
     */
    static Component of(ServiceDocument container, Contained contained, LoopBindings round, String outside) {
        String name = container.name() + "-" + contained.name().value(round);
        Map<String, Object> parameters = Document.fields(contained.parameters().value(round));
        return new Component(new ServiceDocument(name, container.tenant(), contained.model().name(), Optional.of(contained.model().version()),
                Suspension.isWhole(container.parameters()) ? Suspension.with(parameters, "", true, Set.of()) : parameters, container.customersToFollow(), false, Optional.of(container.name())), contained, round, outside);
    }

    /** As its container's model wants it. */
    public ServiceDocument service() {
        return service;
    }

    /**
     * The field of the container's document that a field of this service comes from.
     *
     * @param pointer of the component's document, such as {@code /parameters/ends/0/port}
     */
    public String outward(String pointer) {
        for (String place = pointer; place.startsWith(PARAMETERS + "/"); place = place.substring(0, place.lastIndexOf('/'))) {
            Optional<String> exactly = exactly(place);
            if (exactly.isPresent()) {
                return exactly.get();
            }
        }
        return contained.loop().item(round).orElse(outside);
    }

    /** The field that has just the same value; absent where the value is worked out otherwise. */
    public Optional<String> exactly(String pointer) {
        return pointer.startsWith(PARAMETERS + "/") ? contained.parameters().origin(pointer.substring(PARAMETERS.length()), round) : Optional.empty();
    }
}
