package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.servlet.mvc.method.annotation.SseEmitter;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.KnownNames;
import rilvan.core.document.PlainText;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.ServiceDocument;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;
import rilvan.core.transaction.State;
import rilvan.server.access.AccessRules.NotAllowed;
import rilvan.server.access.Caller;
import rilvan.server.access.Callers;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.api.PreviewView.OutcomeView;
import rilvan.server.api.PreviewView.StagePartView;
import rilvan.server.orders.history.FaultRecord;
import rilvan.server.orders.history.OrderProgress;
import rilvan.server.orders.history.StepView;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderIntake.Asked;
import rilvan.server.orders.intake.OrderIntake.Placed;
import rilvan.server.orders.intake.OrderIntake.Previewed;
import rilvan.server.orders.staging.Staging;
import rilvan.server.orders.timing.StartTimes;
import rilvan.server.orders.timing.Timing;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.CheckRow;
import rilvan.server.store.Orders.LeftOut;
import rilvan.server.store.Orders.OrderHead;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.ServiceKind;
import rilvan.server.store.Orders.Wanted;
import rilvan.server.store.StageRecords;
import rilvan.server.store.StageRecords.StageOrder;
import rilvan.server.store.StageRecords.StagedRow;
import tools.jackson.core.type.TypeReference;

/** Orders: preview, place, follow, look back. */
@RestController
@RequestMapping("/api/v1")
public class OrderController {

    /** Orders that a page has unless more are asked for. */
    private static final int USUAL_ORDERS = 50;
    private static final TypeReference<List<FaultRecord>> FAULTS = new TypeReference<>() {};
    private static final TypeReference<List<ServiceKind>> KINDS = new TypeReference<>() {};
    private static final TypeReference<List<String>> NAMES = new TypeReference<>() {};
    private static final TypeReference<List<Map<String, Object>>> DOCUMENTS = new TypeReference<>() {};
    private static final TypeReference<List<Set<String>>> PLACES = new TypeReference<>() {};
    private static final TypeReference<List<NativeLine>> LINES = new TypeReference<>() {};

    private final OrderIntake intake;
    private final Orders orders;
    private final StageRecords stageRecords;
    private final OrderProgress progress;
    private final StartTimes times;
    private final Sight sight;
    private final Callers callers;
    private final Json json;

    public OrderController(OrderIntake intake, Orders orders, StageRecords stageRecords, OrderProgress progress, StartTimes times, Sight sight, Callers callers, Json json) {
        this.stageRecords = stageRecords;
        this.times = times;
        this.sight = sight;
        this.callers = callers;
        this.intake = intake;
        this.orders = orders;
        this.progress = progress;
        this.json = json;
    }

    /**
     * An order as lists show it.
     *
     * @param failure why it was rolled back; of a rehearsal, what stands against the order; empty where nothing does
     * @param rehearsal whether it is only tried on the devices, and changes none
     * @param startAt not before; null for as soon as it can
     * @param startBy not after; null for whenever it can
     * @param inWindow whether within maintenance windows
     * @param urgent whether it goes ahead of freezes and of an emergency stop
     * @param keptBackBy the freeze or emergency stop that it waits for; null where it waits for neither
     * @param stage which stage of which order it is; null where it is all of its own
     */
    public record OrderView(long id, String who, String reason, String state, String failure, String guarantee,
            List<OutcomeView> services, OffsetDateTime createdAt, @Nullable OffsetDateTime endedAt, List<BehindView> waitsBehind, boolean inDoubt,
            List<FaultRecord> faults, boolean rehearsal, @Nullable OffsetDateTime startAt, @Nullable OffsetDateTime startBy, boolean inWindow, boolean urgent, AgreementView agreement, @Nullable String keptBackBy, @Nullable StageView stage) {}

    /**
     * Whether another person is to agree to an order.
     *
     * @param why by which rules; nobody is to agree where there are none
     * @param by who has agreed; null while nobody has
     */
    public record AgreementView(List<String> why, @Nullable String by, @Nullable OffsetDateTime at) {}

    /**
     * Which stage an order is.
     *
     * @param first the order of the first stage, which all stages are named by
     * @param number from 1 on; 0 of an order that takes the others back
     */
    public record StageView(long first, int number) {}

    /**
     * An order in stages.
     *
     * @param first the order of its first stage
     * @param stages what was asked for of each, and its order
     * @param undoing the order that takes stages back; null where there is none
     * @param pauseSeconds between two stages
     * @param undoes whether a stage that fails takes those before it back; otherwise they stay
     * @param state RUNNING, DONE, STOPPED, UNDOING or UNDONE
     * @param nextAt when the next order is placed; null while the order of a stage is under way, and at the end
     * @param waitsFor what keeps the next order from being placed; at the end, why it ended so; or empty
     */
    public record StagesView(long first, List<StageOrderView> stages, @Nullable Long undoing, long pauseSeconds, boolean undoes, String state, @Nullable OffsetDateTime nextAt, String waitsFor) {}

    /**
     * One stage.
     *
     * @param places the sites and devices that it was given; none of the one that has all others
     * @param goes whether it is the one in which what goes does so
     * @param order null while it is not there, and where nothing was to do
     * @param state of the order
     */
    public record StageOrderView(int number, Set<String> places, boolean goes, @Nullable Long order, @Nullable String state) {}

    /** Why somebody says no. */
    public record Refusal(@Nullable String reason) {}

    /** An order that another one waits behind, and for which devices and services. */
    public record BehindView(long order, List<String> names) {}

    /**
     * What became of placing an order.
     *
     * @param order its number; null where nothing changes
     * @param preview null where the same request has placed the order before
     */
    public record PlacedView(@Nullable Long order, @Nullable PreviewView preview) {}

    /** What a device in doubt holds, as a person found out: the state {@code before} or {@code after} the order. */
    public record Resolution(String holds) {}

    /**
     * An order with its preview, time line and evidence.
     *
     * @param thinnedAt when these three were dropped, since it had ended long before; null while it has them
     */
    public record OrderDetail(OrderView order, String document, Map<String, List<NativeLine>> devices, List<StepView> events,
            List<OrderCheckView> checks, @Nullable OffsetDateTime thinnedAt) {}

    /** A check that was made for an order; {@code passedBefore} and {@code valueBefore} are absent where it was not run before the order. */
    public record OrderCheckView(int seq, String service, String observation, String observer, String target, String covers, boolean passed,
            String value, @Nullable Boolean passedBefore, @Nullable String valueBefore, String path) {

        private static OrderCheckView of(CheckRow row) {
            return new OrderCheckView(row.seq(), row.service(), row.observation(), row.observer(), row.target(), row.covers(), row.passed(), row.value(),
                    row.passedBefore(), row.valueBefore(), row.path());
        }
    }

    /**
     * What an order would change. Touches no device.
     *
     * @param first for each stage but the last its sites and devices, with commas between these and semicolons between stages; all at once where it is left out
     * @param newBeforeOld whether what goes does so in a stage of its own, when what comes is proven
     * @param whole whether the answer has the whole configuration of each device, too; for who sees all tenants
     * @param service only the lines of these services of the order; of all where it is left out
     */
    @PostMapping("/previews")
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/OrderDocument")), @Content(mediaType = "application/yaml")})
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded.Not("nothing is changed")
    ResponseEntity<PreviewView> preview(HttpServletRequest request, Caller caller, @RequestParam Optional<String> first, @RequestParam Optional<Boolean> newBeforeOld, @RequestParam Optional<Boolean> whole,
            @RequestParam Optional<List<String>> service) throws IOException {
        String document = Body.read(request);
        return previewed(sight, intake, caller, intake.preview(document, staging(first, newBeforeOld), caller.name(), sight.limits(caller, Role.PREPARE)), whole.orElse(false), service.orElse(List.of()));
    }

    /** The stages that a preview is asked for. */
    static Optional<Staging> staging(Optional<String> first, Optional<Boolean> newBeforeOld) {
        return Staging.read(listed(first), Optional.empty(), Optional.empty(), newBeforeOld.orElse(false));
    }

    private static List<String> listed(Optional<String> first) {
        return first.map(text -> List.of(text.split(";", -1))).orElse(List.of());
    }

    /**
     * @param whole whether the whole configurations were asked for
     * @param only the services whose lines were asked for; all where there are none
     */
    static ResponseEntity<PreviewView> previewed(Sight sight, OrderIntake intake, Caller caller, Previewed previewed, boolean whole, List<String> only) {
        if (whole && !caller.seesAll()) {
            throw new NotAllowed("whole configurations are for who sees all tenants; " + caller.name() + " does not");
        }
        Plan plan = previewed.preview().plan();
        only.stream().filter(name -> plan.outcomes().stream().noneMatch(outcome -> outcome.service().equals(name))).findFirst().ifPresent(name -> {
            throw new ValidationFailure("/service", "the order does nothing with a service named '" + name + "'; " + KnownNames.instead(name, plan.outcomes().stream().map(Plan.Outcome::service).toList()));
        });
        PreviewView all = sight.view(caller, previewed.preview());
        PreviewView view = (only.isEmpty() ? all : all.withLines(plan.linesOf(only)))
                .inStages(previewed.stages().stream().map(part -> new StagePartView(part.places(), part.goes(), part.services(), part.devices())).toList())
                .keptBack(previewed.keptBack().map(sight.maskFor(caller)).orElse(null));
        PreviewView complete = whole ? view.whole(intake.whole(previewed.preview(), caller.name())) : view;
        return ResponseEntity.ok().eTag(EntityTag.of(complete.digest())).body(complete);
    }

    /**
     * Places an order. {@code If-Match} with a preview's entity tag makes sure that it does what was seen.
     *
     * @param start not before this time (RFC 3339), or {@code window} for maintenance windows of all sites concerned; at once where it is left out
     * @param startBy not after this time; an hour after start where that is a time
     * @param urgent whether it goes ahead of freezes and of an emergency stop; another person is to agree to it
     * @param first for each stage but the last its sites and devices, with commas between these and semicolons between stages; all at once where it is left out. Each stage is an order of its own
     * @param pause between two stages, in seconds
     * @param afterFailure what becomes of earlier stages where one fails: {@code keep} or {@code undo}; keep where it is left out
     * @param newBeforeOld whether what goes does so in a last stage of its own, when what comes is proven: services that are removed, and what leaves a list that is at devices, such as sites
     * @param oneByOne whether one device changes after another; otherwise side by side, as far as their kinds allow
     */
    @PostMapping("/orders")
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/OrderDocument")), @Content(mediaType = "application/yaml")})
    @ApiResponse(responseCode = "202", description = "The order is placed; it has a number.")
    @ApiResponse(responseCode = "200", description = "Nothing changes: the network already is as it is asked for.")
    @ApiResponse(responseCode = "409", description = "It is to begin at once, and a freeze or the emergency stop keeps it back.")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded("place order")
    ResponseEntity<PlacedView> place(HttpServletRequest request, Caller caller, Act act,
            @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> agreed,
            @RequestHeader("Idempotency-Key") Optional<String> key, @RequestParam Optional<String> start, @RequestParam Optional<String> startBy, @RequestParam Optional<Boolean> urgent,
            @RequestParam Optional<String> first, @RequestParam Optional<Long> pause, @RequestParam Optional<String> afterFailure,
            @RequestParam Optional<Boolean> newBeforeOld, @RequestParam Optional<Boolean> oneByOne) throws IOException {
        return placed(sight, caller, act, intake.place(Body.read(request), Asked.of(caller.name(), sight.limits(caller, Role.RUN), EntityTag.listed(HttpHeaders.IF_MATCH, agreed), key,
                Timing.read(start, startBy, urgent.orElse(false)),
                Staging.read(listed(first), pause, afterFailure, newBeforeOld.orElse(false)), oneByOne.orElse(false))));
    }

    /**
     * Rehearses an order on its devices: it locks and reads each, has those with a candidate check the change, and releases them. No device is changed. What it finds is told like
     * the steps of an order, which it is in every other way.
     */
    @PostMapping("/rehearsals")
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/OrderDocument")), @Content(mediaType = "application/yaml")})
    @ApiResponse(responseCode = "202", description = "The rehearsal has the number of an order.")
    @ApiResponse(responseCode = "200", description = "Nothing changes: the network already is as it is asked for.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded("rehearse order")
    ResponseEntity<PlacedView> rehearse(HttpServletRequest request, Caller caller, Act act, @RequestHeader("Idempotency-Key") Optional<String> key) throws IOException {
        return placed(sight, caller, act, intake.place(Body.read(request), Asked.rehearsal(caller.name(), sight.limits(caller, Role.PREPARE), key)));
    }

    static ResponseEntity<PlacedView> placed(Sight sight, Caller caller, Act act, Placed placed) {
        placed.order().ifPresent(id -> recordPlaced(act, id, placed));
        return ResponseEntity.status(placed.order().isPresent() ? HttpStatus.ACCEPTED : HttpStatus.OK)
                .body(new PlacedView(placed.order().orElse(null), placed.preview().map(preview -> sight.view(caller, preview)).orElse(null)));
    }

    /** With the digest of the document as it is stored, so that the one cannot be changed without the other. */
    private static void recordPlaced(Act act, long id, Placed placed) {
        OrderDocument order = placed.asked();
        act.about("order", id);
        Stream.of(order.services().stream().map(ServiceDocument::name), order.renamed().values().stream(), order.remove().stream(), order.refresh().stream(), order.suspended().stream()).flatMap(Function.identity())
                .forEach(service -> act.about("service", service));
        act.after(Map.of("reason", order.reason(), "document", placed.digest(), "decisions", order.decisions()));
    }

    /**
     * A page of orders, the latest first, or, with {@code after}, the earliest first; of those that fit all that is asked for.
     *
     * @param after only those placed after this one, the earliest first; 0 for all
     * @param state as the orders have it, such as ROLLED_BACK
     * @param by who placed it
     * @param service that it is about
     * @param tenant whom it is for
     * @param device which it changes, or was to change
     * @param since placed not before this time
     * @param until placed before this time
     */
    @GetMapping("/orders")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<OrderView>> orders(@RequestParam Optional<Long> before, @RequestParam Optional<Long> after, @RequestParam Optional<Integer> limit, @RequestParam Optional<State> state, @RequestParam Optional<String> by,
            @RequestParam Optional<String> service, @RequestParam Optional<String> tenant, @RequestParam Optional<String> device, @RequestParam Optional<OffsetDateTime> since, @RequestParam Optional<OffsetDateTime> until, Caller caller, HttpServletRequest request) {
        ListPage page = ListPage.of(limit.or(() -> Optional.of(USUAL_ORDERS)));
        List<OrderHead> found = orders.wanted(new Wanted(before.orElse(Long.MAX_VALUE), after.orElse(null), state.map(State::name).orElse(null), by.orElse(null), service.orElse(null), tenant.orElse(null), device.orElse(null), since.orElse(null), until.orElse(null),
                sight.scopes(caller)), page.toFind());
        Map<Long, List<LeftOut>> leftOut = found.isEmpty() ? Map.of() : orders.leftOut(Math.min(found.get(0).id(), found.get(found.size() - 1).id()), Math.max(found.get(0).id(), found.get(found.size() - 1).id())).stream()
                .collect(Collectors.groupingBy(LeftOut::orderId));
        return page.answer(found, request, after.isPresent() ? "after" : "before", OrderHead::id, head -> view(caller, head, leftOut.getOrDefault(head.id(), List.of())));
    }

    /** An order with its preview, time line and evidence. */
    @GetMapping("/orders/{id}")
    @Requires(value = Role.LOOK, scoped = true)
    OrderDetail order(@PathVariable long id, Caller caller) {
        OrderRow row = known(caller, id);
        Map<String, List<NativeLine>> devices = new LinkedHashMap<>();
        orders.parts(id).forEach(part -> devices.put(part.device(), json.read(part.linesJson(), LINES)));
        List<CheckRow> checks = orders.checks(id);
        // Whom it might have disturbed are others as well.
        Set<String> seen = sight.seen(caller, checks.stream().map(CheckRow::service).collect(Collectors.toSet()));
        return new OrderDetail(view(caller, row.head(), orders.leftOut(id, id)), Secret.masked(row.document()), devices, progress.events(id),
                checks.stream().filter(check -> seen.contains(check.service())).map(OrderCheckView::of).toList(), orders.thinnedAt(id).orElse(null));
    }

    /** The stages of an order, by the order of any of them. */
    @GetMapping("/orders/{id}/stages")
    @Requires(value = Role.LOOK, scoped = true)
    StagesView stages(@PathVariable long id, Caller caller) {
        known(caller, id);
        StagedRow row = stageRecords.stageOf(id).flatMap(stage -> stageRecords.staged(stage.firstOrder())).orElseThrow(() -> new Problems.NotFound("order " + id + " has no stages"));
        Map<Integer, StageOrder> placed = stageRecords.orders(row.firstOrder()).stream().collect(Collectors.toMap(StageOrder::stage, Function.identity()));
        List<Set<String>> places = json.read(row.placesJson(), PLACES);
        return new StagesView(row.firstOrder(), IntStream.rangeClosed(1, json.read(row.documentsJson(), DOCUMENTS).size()).mapToObj(number -> {
            Optional<StageOrder> order = Optional.ofNullable(placed.get(number));
            return new StageOrderView(number, number <= places.size() ? places.get(number - 1) : Set.of(), number > places.size() + 1, order.map(StageOrder::id).orElse(null),
                    order.map(each -> State.valueOf(each.state()).shown(each.rollingBack()).name()).orElse(null));
        }).toList(), Optional.ofNullable(placed.get(StageRecords.UNDOING)).map(StageOrder::id).orElse(null), row.pauseSeconds(), row.undoes(), row.state(), row.nextAt(), sight.maskFor(caller).apply(row.waitsFor()));
    }

    /** What happens in an order, as server-sent events: {@code step} and {@code state}, from the first on. */
    @GetMapping(value = "/orders/{id}/events", produces = MediaType.TEXT_EVENT_STREAM_VALUE)
    @ApiResponse(responseCode = "200", description = "The stream.", content = @Content(mediaType = MediaType.TEXT_EVENT_STREAM_VALUE, schema = @Schema(ref = "#/components/schemas/OrderEvents")))
    @Requires(value = Role.LOOK, scoped = true)
    SseEmitter events(@PathVariable long id, Caller caller) {
        known(caller, id);
        Supplier<Optional<Caller>> lasting = callers.lasting();
        return progress.follow(id, () -> lasting.get().filter(still -> sight.seesOrder(still, id)).map(sight::maskFor));
    }

    /** What an order that has not begun would change now. Whoever is to agree to it looks at this. */
    @GetMapping("/orders/{id}/preview")
    @ApiResponse(responseCode = "200", description = "The preview.")
    @ApiResponse(responseCode = "409", description = "It has begun, or has ended; GET /orders/{id} has its lines.")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<PreviewView> previewOf(@PathVariable long id, Caller caller) {
        OrderRow order = known(caller, id);
        if (!State.valueOf(order.state()).unbegun()) {
            throw new Problems.Conflict("order " + id + " is " + order.shownState().words() + "; its lines are those of the order");
        }
        PreviewView view = sight.view(caller, intake.preview(order, caller.name()));
        return ResponseEntity.ok().eTag(EntityTag.of(view.digest())).body(view);
    }

    /** Agrees to an order, as another person than those who have prepared and placed it. {@code If-Match} has the entity tag of the preview that was looked at; the agreement holds for just that. */
    @PostMapping("/orders/{id}/agreement")
    @ApiResponse(responseCode = "204", description = "The order begins, at its time.")
    @ApiResponse(responseCode = "409", description = "Nobody is asked to agree to it.")
    @ApiResponse(responseCode = "412", description = "It would do something else than what was looked at.")
    @Requires(value = Role.APPROVE, scoped = true)
    @Recorded(value = "agree to order", about = "order")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void agree(@PathVariable long id, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> seen, Caller caller, Act act) {
        OrderRow order = toAgree(caller, id);
        Set<String> digests = EntityTag.listed(HttpHeaders.IF_MATCH, seen).orElseThrow(() -> new ValidationFailure("", "the header If-Match is missing: it has the entity tag of the preview that was looked at, which GET /orders/" + id + "/preview answers"));
        intake.agree(order, digests, caller.name());
        act.after(Map.of("preview", digests));
    }

    /** Says no to an order that another person is asked to agree to. It ends. */
    @PostMapping("/orders/{id}/refusal")
    @ApiResponse(responseCode = "204", description = "It has ended.")
    @ApiResponse(responseCode = "409", description = "Nobody is asked to agree to it.")
    @Requires(value = Role.APPROVE, scoped = true)
    @Recorded(value = "refuse order", about = "order")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void refuse(@PathVariable long id, @RequestBody Refusal refusal, Caller caller, Act act) {
        act.after(refusal);
        OrderRow order = known(caller, id);
        sight.mayDecide(caller, Role.APPROVE, id);
        String reason = Optional.ofNullable(refusal.reason()).orElse("");
        PlainText.faultOfText(reason).ifPresent(fault -> {
            throw new ValidationFailure("/reason", fault);
        });
        intake.refuse(order, reason, caller.name());
    }

    /** Nobody agrees to what they have prepared or placed themselves. */
    private OrderRow toAgree(Caller caller, long id) {
        OrderRow order = known(caller, id);
        sight.mayDecide(caller, Role.APPROVE, id);
        if (order.who().equals(caller.name()) || json.read(order.authorsJson(), NAMES).contains(caller.name())) {
            throw new NotAllowed(caller.name() + " has prepared or placed order " + id + "; another person is to agree to it");
        }
        return order;
    }

    /** Cancels an order. */
    @PostMapping("/orders/{id}/cancellation")
    @ApiResponse(responseCode = "202", description = "The order is told.")
    @ApiResponse(responseCode = "409", description = "It has been decided, or has ended.")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded(value = "cancel order", about = "order")
    @ResponseStatus(HttpStatus.ACCEPTED)
    void cancel(@PathVariable long id, Caller caller) {
        known(caller, id);
        sight.mayDecide(caller, Role.RUN, id);
        if (!intake.cancel(id, caller.name())) {
            throw new Problems.Conflict("order " + id + " is " + known(caller, id).shownState().words() + "; an order can be cancelled until it is decided");
        }
    }

    /** Resolves a device that is in doubt and cannot be read. The statement counts as read, and is kept with the person's name. */
    @PostMapping("/orders/{id}/devices/{device}/resolutions")
    @ApiResponse(responseCode = "202", description = "The order is told; what the device itself answers meanwhile counts more.")
    @ApiResponse(responseCode = "409", description = "The device is not in doubt, or holds what the order does not lead to.")
    @Requires(value = Role.RUN, scoped = true)
    @Recorded(value = "resolve device in doubt", about = "order")
    @ResponseStatus(HttpStatus.ACCEPTED)
    void resolve(@PathVariable long id, @PathVariable String device, @RequestBody Resolution resolution, Caller caller, Act act) {
        act.about("device", device).after(resolution);
        OrderRow order = known(caller, id);
        sight.mayDecide(caller, Role.RUN, id);
        boolean after = "after".equals(resolution.holds());
        if (!after && !"before".equals(resolution.holds())) {
            throw new ValidationFailure("/holds", "must be before or after: the device has the configuration from before this order, or that from after it");
        }
        if (orders.parts(id).stream().noneMatch(part -> part.device().equals(device))) {
            throw new Problems.NotFound("order " + id + " changes nothing on a device named '" + device + "'");
        }
        if (!progress.inDoubt(id).contains(device)) {
            throw new Problems.Conflict(device + " is not in doubt in order " + id + ", which is " + order.shownState().words());
        }
        boolean onward = order.state().equals(State.DECIDED.name());
        if (after != onward) {
            throw new Problems.Conflict("order " + id + " is " + order.shownState().words() + ": " + device + " is resolved once it holds the state "
                    + (onward ? "after" : "before") + " the order; until then Rilvan goes on trying to bring it there");
        }
        if (!intake.resolve(id, device, after, caller.name())) {
            throw new Problems.Conflict("order " + id + " has ended");
        }
    }

    private OrderRow known(Caller caller, long id) {
        return orders.order(id).filter(order -> sight.seesOrder(caller, id)).orElseThrow(() -> new Problems.NotFound("there is no order " + id));
    }

    private OrderView view(Caller caller, OrderHead row, List<LeftOut> leftOut) {
        List<OutcomeView> services = new ArrayList<>();
        json.read(row.servicesJson(), KINDS).forEach(each -> services.add(new OutcomeView(each.service(), each.kind(), "", each.componentOf())));
        leftOut.forEach(out -> services.add(new OutcomeView(out.service(), "KEEP", out.why(), null)));
        List<BehindView> behind = row.state().equals(State.WAITING.name()) ? orders.ahead(row.id()).stream().map(ahead -> new BehindView(ahead,
                orders.contested(row.id(), ahead).stream().map(Orders.Claim::name).toList())).toList() : List.of();
        return new OrderView(row.id(), row.who(), row.reason(), row.shownState().name(), row.failure(), caller.seesAll() ? row.guarantee() : Plan.guarantee(row.guarantee()), services,
                row.createdAt(), row.endedAt(), behind, inDoubt(row), json.read(row.faultsJson(), FAULTS), row.rehearsal(), row.startAt(), row.startBy(), row.inWindow(), row.urgent(),
                new AgreementView(json.read(row.agreementJson(), NAMES), row.agreedBy(), row.agreedAt()), keptBackBy(row),
                row.stagedBy() == null ? null : new StageView(row.stagedBy(), row.stage()));
    }

    private String keptBackBy(OrderHead row) {
        State state = State.valueOf(row.state());
        boolean itsTimeHasCome = state == State.WAITING || state == State.SCHEDULED && (row.startAt() == null || !row.startAt().toInstant().isAfter(times.now()));
        return row.urgent() || !itsTimeHasCome ? null : times.keepsBack(row.id()).orElse(null);
    }

    /** Whether an order under way is driven by nobody, or one of its devices was last heard of in doubt. */
    private boolean inDoubt(OrderHead row) {
        State state = State.valueOf(row.state());
        if (state.ended() || state.unbegun()) {
            return false;
        }
        if (!row.driven()) {
            return true;
        }
        return !progress.inDoubt(row.id()).isEmpty();
    }
}
