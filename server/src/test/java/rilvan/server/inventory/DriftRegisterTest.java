package rilvan.server.inventory;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Instant;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;
import rilvan.core.document.ValidationFailure;
import rilvan.core.ledger.Ledger;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Node;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.store.Drifts;
import rilvan.server.store.Drifts.DriftRow;
import rilvan.server.store.Inventory;
import rilvan.server.store.Services;

class DriftRegisterTest {

    private static final DriftRow RD = new DriftRow("haven-pe1", "/vpn/vrf[V]/rd", "1:1", "9:9", "clinics", null, null, null, null, null, null, null);

    private final Drifts drifts = mock(Drifts.class);
    private final Inventory inventory = mock(Inventory.class);
    private final StoredPlanningSource source = mock(StoredPlanningSource.class);
    private final ClusterMember member = mock(ClusterMember.class);
    private final DriftRegister register = new DriftRegister(drifts, inventory, mock(Services.class), source, member);

    @Test
    void aReadingThatAnOrderHasOvertakenIsNotKept() {
        when(inventory.putReading("haven-pe1", 7, "text")).thenReturn(0);
        assertThat(register.keep("haven-pe1", 7, "text", Node.EMPTY, Optional.empty())).isFalse();
        verify(drifts, never()).found(any());
    }

    @Test
    void whatSaysAgainWhatWasOrderedHasNotDriftedAnyMore() {
        when(inventory.putReading("haven-pe1", 7, "text")).thenReturn(1);
        when(source.ledger("haven-pe1")).thenReturn(Ledger.EMPTY);
        when(source.whole("haven-pe1")).thenReturn(WholeEntries.NONE);
        when(drifts.on("haven-pe1")).thenReturn(List.of(RD));
        assertThat(register.keep("haven-pe1", 7, "text", Node.EMPTY, Optional.empty())).isTrue();
        verify(drifts).settled("haven-pe1", RD.path());
    }

    @Test
    void aDeviceWithoutDriftIsNotReadAnewAfterAnOrder() {
        when(drifts.among(List.of("haven-pe1"))).thenReturn(List.of());
        register.changed(List.of("haven-pe1"), device -> {
            throw new AssertionError("not needed");
        }, device -> Set.of(), "engineer", "why");
    }

    @Test
    void whatIsLeftUntilATimeIsOpenAgainThen() {
        when(member.storeTime()).thenReturn(Instant.parse("2026-05-04T10:00:00Z"));
        OffsetDateTime noon = OffsetDateTime.parse("2026-05-04T12:00:00Z");
        when(drifts.leave("haven-pe1", RD.path(), "engineer", "why", noon)).thenReturn(1);
        register.leave("haven-pe1", RD.path(), "engineer", "why", Optional.of(noon));
        assertThatThrownBy(() -> register.leave("haven-pe1", RD.path(), "engineer", "why", Optional.of(noon.minusHours(2)))).isInstanceOf(ValidationFailure.class).hasMessageContaining("/until: 2026-05-04T10:00Z is past");
        when(drifts.leftUntilNow()).thenReturn(List.of("haven-pe1", "haven-pe1"));
        register.decideAgain();
        verify(inventory, times(2)).moved("haven-pe1");
    }

    @Test
    void aDecisionNeedsAReasonAndADriftedNode() {
        when(drifts.on("haven-pe1")).thenReturn(List.of(RD));
        assertThatThrownBy(() -> register.leave("haven-pe1", RD.path(), "engineer", " ", Optional.empty())).isInstanceOf(ValidationFailure.class).hasMessageContaining("say why");
        assertThatThrownBy(() -> register.leave("haven-pe1", "/other", "engineer", "why", Optional.empty())).isInstanceOf(ValidationFailure.class).hasMessageContaining("drifted: " + RD.path());
        verify(inventory, never()).moved(any());
    }
}
