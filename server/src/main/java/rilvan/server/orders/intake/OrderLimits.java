package rilvan.server.orders.intake;

import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;

/** What somebody may order, and of what they may know. */
public interface OrderLimits {

    /** Of whoever may order everything. */
    OrderLimits NONE = new OrderLimits() {
        @Override
        public void check(OrderDocument order) {}

        @Override
        public OrderDocument seen(OrderDocument order) {
            return order;
        }

        @Override
        public ValidationFailure told(ValidationFailure failure) {
            return failure;
        }

        @Override
        public void check(Plan plan) {}

        @Override
        public boolean mayRefer(Service service) {
            return true;
        }
    };

    /**
     * Looks at an order before anything is worked out of it.
     *
     * @throws ValidationFailure naming tenants that it cannot be for, and names that are taken
     */
    void check(OrderDocument order);

    /** The order with names that nobody has in place of services that are hidden: whatever is said of it is what would be said if they were not there. */
    OrderDocument seen(OrderDocument order);

    /** What is said of {@link #seen}, with the names that were written. */
    ValidationFailure told(ValidationFailure failure);

    /** @throws RuntimeException where it changes what is not theirs to change */
    void check(Plan plan);

    /** Whether a service of theirs may refer to one. */
    boolean mayRefer(Service service);
}
