package rilvan.core.check;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import rilvan.core.check.Observed.Coverage;

/** A dead place keeps everything apart: that proves nothing. */
class PositiveControlTest {

    private static Observed seen(boolean wanted, boolean holds, String from, String to, boolean sends) {
        Map<String, Object> start = new LinkedHashMap<>(Map.of("device", "hall-leaf1", "port", from));
        if (sends) {
            start.put("size", 1500);
        }
        return new Observed(new Check("s", "frames", wanted, start, Map.of("device", "hall-leaf2", "port", to)), "hall-leaf1", to, Coverage.TO_THE_HANDOFF, holds, "seen", Map.of(), "");
    }

    private static Coverage proves(Observed... seen) {
        return PositiveControl.of(List.of(seen)).get(0).covers();
    }

    @Test
    void aForbiddenPathNeedsAPositiveControl() {
        Observed apart = seen(false, true, "access-1", "access-2", true);
        assertThat(proves(apart)).isEqualTo(Coverage.NOT_TESTABLE_YET);
        assertThat(proves(apart, seen(true, true, "access-1", "access-3", true))).isEqualTo(Coverage.TO_THE_HANDOFF);
        // Not beside what fails, what says nothing of sending, or what is seen elsewhere.
        assertThat(proves(apart, seen(true, false, "access-1", "access-3", true))).isEqualTo(Coverage.NOT_TESTABLE_YET);
        assertThat(proves(apart, seen(true, true, "access-1", "access-3", false))).isEqualTo(Coverage.NOT_TESTABLE_YET);
        assertThat(proves(apart, seen(true, true, "access-4", "access-3", true))).isEqualTo(Coverage.NOT_TESTABLE_YET);
        // What got through where it must not needs no control.
        assertThat(proves(seen(false, false, "access-1", "access-2", true))).isEqualTo(Coverage.TO_THE_HANDOFF);
    }
}
