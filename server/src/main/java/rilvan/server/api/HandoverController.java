package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.MediaType;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.util.HtmlUtils;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.ServiceSheet;
import rilvan.core.model.ServiceSheet.Section;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.api.ServiceController.NumberView;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.CheckRow;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Services;
import rilvan.server.store.Services.LastOrder;

/** What is handed over with a service: what it is on both sides, and what was proven of it. */
@RestController
@RequestMapping("/api/v1/services/{name}")
public class HandoverController {

    private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm 'UTC'", Locale.ROOT);

    private final StoredPlanningSource source;
    private final Services services;
    private final Orders orders;
    private final Library library;
    private final Sight sight;
    private final Json json;

    HandoverController(StoredPlanningSource source, Services services, Orders orders, Library library, Sight sight, Json json) {
        this.source = source;
        this.services = services;
        this.orders = orders;
        this.library = library;
        this.sight = sight;
        this.json = json;
    }

    /** A check that passed: what was looked for, from where to where, and what was seen. */
    public record ProvenView(String what, String from, String to, String value) {}

    /**
     * The handover sheet of a service.
     *
     * @param kind of service, in words
     * @param sections what it is, by the titles of its parameters
     * @param order the one that last made something of it
     * @param provenAt when that one ended; null where it is not known any more
     * @param proven the checks that passed with it; none where it has none, or where they were dropped since
     */
    public record HandoverView(String service, String tenant, String kind, List<Section> sections, List<NumberView> numbers, @Nullable Long order, @Nullable OffsetDateTime provenAt, List<ProvenView> proven) {}

    /** The handover sheet of a service. */
    @GetMapping("/handover")
    @Requires(value = Role.LOOK, scoped = true)
    HandoverView handover(@PathVariable String name, Caller caller) {
        Service service = source.service(name).filter(stands -> sight.sees(caller, stands)).orElseThrow(() -> new Problems.NotFound("there is no service named '" + name + "'"));
        Optional<ServiceModel> model = library.catalog().model(service.model(), Optional.of(service.modelVersion()));
        Optional<OrderRow> last = services.lastOrders(json.write(List.of(name))).stream().findFirst().map(LastOrder::order).flatMap(orders::order);
        List<CheckRow> checks = last.map(order -> orders.checks(order.id())).orElse(List.of());
        return new HandoverView(name, service.tenant(), model.map(ServiceModel::title).orElse(service.model()), model.map(each -> ServiceSheet.of(each, service.parameters()).sections()).orElse(List.of()),
                services.heldBy(name).stream().map(number -> NumberView.of(number, source.network())).toList(), last.map(OrderRow::id).orElse(null), last.map(OrderRow::endedAt).orElse(null),
                checks.stream().filter(check -> check.service().equals(name) && check.passed()).map(check -> new ProvenView(check.observation(), check.observer(), check.target(), check.value())).toList());
    }

    /** The same as a page to print. */
    @GetMapping(value = "/handover-page", produces = MediaType.TEXT_HTML_VALUE)
    @ApiResponse(responseCode = "200", description = "A document in HTML.", content = @Content(mediaType = MediaType.TEXT_HTML_VALUE, schema = @Schema(type = "string")))
    @Requires(value = Role.LOOK, scoped = true)
    String page(@PathVariable String name, Caller caller) {
        HandoverView sheet = handover(name, caller);
        StringBuilder page = new StringBuilder("<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><title>").append(text(name)).append("</title><style>")
                .append("body{font:14px/1.45 sans-serif;color:#111;background:#fff;max-width:52rem;margin:2rem auto;padding:0 1rem}h1{font-size:1.5rem;margin:0}h2{font-size:1rem;margin:1.4rem 0 .3rem;break-after:avoid}")
                .append("table{border-collapse:collapse;width:100%}td,th{text-align:left;vertical-align:top;padding:.2rem .6rem .2rem 0;border-bottom:1px solid #ddd}td:first-child{width:16rem;color:#444}tr{break-inside:avoid}")
                .append("p{margin:.2rem 0;color:#444}</style></head><body>");
        page.append("<h1>").append(text(name)).append("</h1><p>").append(text(sheet.kind() + " for " + sheet.tenant())).append("</p>");
        sheet.sections().forEach(section -> {
            page.append("<h2>").append(text(section.name().isEmpty() ? "The service" : section.title() + ": " + section.name())).append("</h2><table>");
            section.lines().forEach(line -> row(page, line.label(), line.value()));
            page.append("</table>");
        });
        if (!sheet.numbers().isEmpty()) {
            page.append("<h2>Numbers</h2><table>");
            sheet.numbers().forEach(number -> row(page, number.key(), number.written() + (number.within().isEmpty() ? "" : " on " + number.within())));
            page.append("</table>");
        }
        page.append("<h2>Proven</h2>");
        page.append("<p>").append(text(sheet.proven().isEmpty() ? "There is no record of checks." : "By order " + sheet.order() + ", done " + time(sheet.provenAt()) + ". "
                + (sheet.proven().size() == 1 ? "1 check passed." : sheet.proven().size() + " checks passed."))).append("</p><table>");
        sheet.proven().forEach(proof -> page.append("<tr><td>").append(text(proof.what())).append("</td><td>").append(text(proof.from())).append("</td><td>").append(text(proof.to())).append("</td><td>")
                .append(text(proof.value())).append("</td></tr>"));
        return page.append("</table></body></html>").toString();
    }

    private static String time(@Nullable OffsetDateTime at) {
        return at == null ? "at a time that is not known" : TIME.format(at.withOffsetSameInstant(ZoneOffset.UTC));
    }

    private static void row(StringBuilder page, String label, String value) {
        page.append("<tr><td>").append(text(label)).append("</td><td>").append(text(value)).append("</td></tr>");
    }

    private static String text(String value) {
        return HtmlUtils.htmlEscape(value);
    }
}
