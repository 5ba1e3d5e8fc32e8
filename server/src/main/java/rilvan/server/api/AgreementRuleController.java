package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.ValidationFailure;
import rilvan.core.plan.Plan.ChangeKind;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.orders.agreement.AgreementRule;
import rilvan.server.orders.agreement.AgreementRules;
import rilvan.server.orders.agreement.AgreementRules.Kept;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;

/** The rules by which another person is to agree to an order before it begins. */
@RestController
@RequestMapping("/api/v1/agreement-rules")
public class AgreementRuleController {

    private static final List<String> KINDS = List.of("ADD", "CHANGE", "REMOVE");

    private final AgreementRules rules;

    AgreementRuleController(AgreementRules rules) {
        this.rules = rules;
    }

    /**
     * Which orders another person is to agree to: those with a service that fits all that is said of services, and as many services and devices as are said.
     *
     * @param kinds what becomes of the service: ADD, CHANGE or REMOVE
     * @param services how many services the order has at least
     * @param devices how many devices it changes at least
     */
    public record AgreementRuleView(String name, Set<String> tenants, Set<String> models, Set<String> kinds, int services, int devices, String createdBy) {

        private static AgreementRuleView of(Kept kept) {
            AgreementRule rule = kept.rule();
            return new AgreementRuleView(rule.name(), new TreeSet<>(rule.tenants()), new TreeSet<>(rule.models()), rule.kinds().stream().map(ChangeKind::name).collect(Collectors.toCollection(TreeSet::new)), rule.services(), rule.devices(), kept.createdBy());
        }
    }

    /** What a rule is to be: what is left out fits all. */
    public record AgreementRuleDocument(@Nullable Set<String> tenants, @Nullable Set<String> models, @Nullable Set<String> kinds, @Nullable Integer services, @Nullable Integer devices) {

        private AgreementRule rule(String name) {
            return new AgreementRule(name, all(tenants), all(models), all(kinds).stream().map(AgreementRuleDocument::kind).collect(Collectors.toSet()), services == null ? 0 : services, devices == null ? 0 : devices);
        }

        private static ChangeKind kind(String word) {
            if (!KINDS.contains(word)) {
                throw new ValidationFailure("/kinds", "'" + word + "' is none; expected " + String.join(", ", KINDS));
            }
            return ChangeKind.valueOf(word);
        }

        private static Set<String> all(@Nullable Set<String> said) {
            return said == null ? Set.of() : said;
        }
    }

    /** All rules, by name. */
    @GetMapping
    @Requires(Role.LOOK)
    List<AgreementRuleView> all() {
        return rules.all().stream().map(AgreementRuleView::of).toList();
    }

    /** A rule, with its entity tag. */
    @GetMapping("/{name}")
    @Requires(Role.LOOK)
    ResponseEntity<AgreementRuleView> rule(@PathVariable String name) {
        return answer(HttpStatus.OK, known(name));
    }

    /** Puts a rule, in the place of one of that name. It counts for orders that are placed from then on. */
    @PutMapping("/{name}")
    @ApiResponse(responseCode = "201", description = "It is there from now on.")
    @ApiResponse(responseCode = "200", description = "It is changed.")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put agreement rule", about = "agreement rule")
    ResponseEntity<AgreementRuleView> put(@PathVariable String name, @RequestBody AgreementRuleDocument document, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Caller caller, Act act) {
        Optional<Kept> before = rules.find(name);
        before.ifPresent(rule -> act.before(AgreementRuleView.of(rule)));
        act.after(document);
        return answer(before.isPresent() ? HttpStatus.OK : HttpStatus.CREATED, rules.put(document.rule(name), caller.name(), Precondition.of(match, noneMatch)));
    }

    /** Drops a rule. Orders that it was asked for wait for an agreement all the same. */
    @DeleteMapping("/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "drop agreement rule", about = "agreement rule")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void drop(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Act act) {
        act.before(AgreementRuleView.of(known(name)));
        if (!rules.drop(name, Precondition.of(match, Optional.empty()))) {
            throw unknown(name);
        }
    }

    private Kept known(String name) {
        return rules.find(name).orElseThrow(() -> unknown(name));
    }

    private static Problems.NotFound unknown(String name) {
        return new Problems.NotFound("there is no agreement rule named '" + name + "'");
    }

    private static ResponseEntity<AgreementRuleView> answer(HttpStatus status, Kept kept) {
        return ResponseEntity.status(status).eTag(EntityTag.of(kept.version())).body(AgreementRuleView.of(kept));
    }
}
