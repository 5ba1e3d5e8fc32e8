package rilvan.server.orders.agreement;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.util.Arrays;
import java.util.Collections;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.plan.Plan;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.core.plan.Plan.Outcome;
import rilvan.core.transaction.DeviceChange;

class AgreementRuleTest {

    /** A service that goes: KIND NAME TENANT MODEL. Nothing is left of it, so that what it was is all there is to go by. */
    private static Outcome outcome(String text) {
        String[] words = text.split(" ");
        return new Outcome(words[1], ChangeKind.valueOf(words[0]), Optional.empty(), Map.of(), words[1], Set.of(), Set.of(), Optional.of(words[2]), Optional.of(words[3]),
                words.length > 4 ? Optional.of(words[4]) : Optional.empty());
    }

    private static Plan plan(String outcomes, int devices) {
        Plan plan = mock(Plan.class);
        when(plan.outcomes()).thenReturn(Arrays.stream(outcomes.split(", ")).map(AgreementRuleTest::outcome).toList());
        when(plan.parts()).thenReturn(Collections.nCopies(devices, (DeviceChange) null).stream().collect(Collectors.toList()));
        return plan;
    }

    private static Set<String> names(String text) {
        return text == null ? Set.of() : Set.of(text.split(","));
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        "-    | -     | -      | 0 | 0 | REMOVE a clinics l3vpn                            | 1 | every order",
        "-    | -     | -      | 0 | 0 | KEEP a clinics l3vpn                              | 1 | -",
        "kelp | -     | -      | 0 | 0 | REMOVE a clinics l3vpn                            | 1 | -",
        "kelp | -     | -      | 0 | 0 | REMOVE a clinics l3vpn, CHANGE b kelp vpls        | 1 | change b",
        "kelp | l3vpn | -      | 0 | 0 | REMOVE a clinics l3vpn, CHANGE b kelp vpls        | 1 | -",
        "-    | -     | REMOVE | 0 | 0 | REMOVE a clinics l3vpn, CHANGE b kelp vpls        | 1 | remove a",
        "-    | -     | -      | 2 | 0 | REMOVE a clinics l3vpn                            | 1 | -",
        "-    | -     | -      | 2 | 0 | REMOVE a clinics l3vpn, CHANGE b kelp vpls        | 1 | 2 services",
        "-    | -     | -      | 2 | 0 | REMOVE a clinics l3vpn, REMOVE b clinics l3vpn a  | 1 | -",
        "-    | -     | -      | 0 | 3 | REMOVE a clinics l3vpn                            | 2 | -",
        "-    | -     | -      | 0 | 3 | REMOVE a clinics l3vpn                            | 3 | 3 devices"})
    void whichOrdersAnotherPersonIsToAgreeTo(String tenants, String models, String kinds, int services, int devices, String outcomes, int changed, String why) {
        Set<ChangeKind> of = names(kinds).stream().map(ChangeKind::valueOf).collect(Collectors.toSet());
        AgreementRule rule = new AgreementRule("rule", names(tenants), names(models), of, services, devices);
        assertThat(rule.needed(plan(outcomes, changed)).map(text -> text.replace("the rule rule: ", "")).orElse(null)).isEqualTo(why);
    }

    @ParameterizedTest
    @CsvSource({"3, 'remove s1, remove s2, remove s3'", "5, 'remove s1, remove s2, remove s3 and 2 others'"})
    void onlySomeOfManyServicesAreNamed(int services, String told) {
        String outcomes = IntStream.rangeClosed(1, services).mapToObj(i -> "REMOVE s" + i + " clinics l3vpn").collect(Collectors.joining(", "));
        assertThat(new AgreementRule("many", Set.of("clinics"), Set.of(), Set.of(), 0, 0).needed(plan(outcomes, 1))).hasValue("the rule many: " + told);
    }
}
