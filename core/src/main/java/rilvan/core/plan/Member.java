package rilvan.core.plan;

import java.util.Optional;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource;
import rilvan.core.model.Component;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceModel;

/**
 * A service that is expanded for an order.
 *
 * @param pointer its place in the order's document; for one that the order does not name, that of the service on whose account it is expanded
 * @param stands as it is before the order
 * @param cause the service that the order changes and this one refers to; absent where the order changes this one
 * @param belonging how another service contains it; absent where it stands for itself
 */
record Member(ServiceDocument service, ServiceModel model, String pointer, Optional<PlanningSource.Service> stands, Optional<String> cause, Optional<Belonging> belonging) {

    /** A service of the order, and the component of it that this one is. */
    record Belonging(Member container, Component component) {

        /** A problem of the component, as one of its container. */
        private Problem ofContainer(String name, Problem own) {
            Optional<String> exactly = component.exactly(own.pointer());
            return container.problem(new Problem(exactly.orElseGet(() -> component.outward(own.pointer())), name + ", a component of " + container.name() + ", would be refused: "
                    + (exactly.isPresent() ? own.message() : own), own.together()));
        }
    }

    String name() {
        return service.name();
    }

    /** Whether the order changes it; otherwise only its rules are held again. */
    boolean isChanged() {
        return cause.isEmpty();
    }

    /** Where its own document begins, for the pointers of its problems: see {@link #problem}. */
    String ownPointer() {
        return isChanged() && belonging.isEmpty() ? pointer : "";
    }

    /** A problem as whoever wrote the order can mend it. */
    Problem problem(Problem own) {
        if (cause.isPresent()) {
            return new Problem(pointer, name() + ", which refers to " + cause.get() + ", would be refused: " + own);
        }
        return belonging.map(each -> each.ofContainer(name(), own)).orElse(own);
    }
}
