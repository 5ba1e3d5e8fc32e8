package rilvan.server.orders.intake;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;
import rilvan.core.plan.Plan;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.Outcome;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.keys.ParameterSeal;
import rilvan.server.library.Library;
import rilvan.server.store.Inventory;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Services;

/** What moves between an order's planning and its record. */
class PlanningTest {

    /** Another order has removed it just now: this one is planned again, and refused with its name. */
    @Test
    void aServiceThatHasGoneSinceIsNoFault() {
        StoredPlanningSource source = mock(StoredPlanningSource.class);
        when(source.service(anyString())).thenReturn(Optional.empty());
        Plan plan = mock(Plan.class);
        when(plan.outcomes()).thenReturn(List.of(new Outcome("kelp-works-wire", ChangeKind.REMOVE, Optional.empty(), Map.of(), "kelp-works-wire", Set.of(), Set.of(), Optional.empty(), Optional.empty(), Optional.empty())));
        Planning planning = new Planning(mock(Library.class), source, mock(DatabaseAllocations.class), mock(ParameterSeal.class), mock(Orders.class), mock(Services.class), mock(Inventory.class), mock(TenantBook.class), new Json());
        assertThat(planning.record(plan, List.of())).isEmpty();
    }
}
