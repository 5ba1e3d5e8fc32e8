package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.io.IOException;
import java.security.Principal;
import java.time.OffsetDateTime;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.PutMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Document;
import rilvan.core.network.Network.End;
import rilvan.core.network.TenantDocument;
import rilvan.core.network.Tenants.Tenant;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.inventory.TenantBook;
import rilvan.server.inventory.TenantBook.Kept;
import rilvan.server.orders.intake.TenantRenaming;
import rilvan.server.preconditions.EntityTag;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Orders;

/** Tenants: whom services are for. */
@RestController
@RequestMapping("/api/v1/tenants")
public class TenantController {

    private final TenantBook tenants;
    private final TenantRenaming renaming;
    private final StoredPlanningSource source;
    private final Orders orders;

    TenantController(TenantBook tenants, TenantRenaming renaming, StoredPlanningSource source, Orders orders) {
        this.tenants = tenants;
        this.renaming = renaming;
        this.source = source;
        this.orders = orders;
    }

    /**
     * A tenant.
     *
     * @param contact how its people are reached
     * @param attachments the ports at which it is attached
     * @param formerNames names that it had before
     * @param services how many services are for it
     */
    public record TenantView(String name, String contact, List<End> attachments, List<String> formerNames, long services, OffsetDateTime createdAt, String createdBy) {

        private static TenantView of(Kept kept) {
            Tenant tenant = kept.tenant();
            return new TenantView(tenant.name(), tenant.contact(), tenant.attachments(), tenant.formerNames(), kept.row().services(), kept.row().createdAt(), kept.row().createdBy());
        }
    }

    /** How many tenants a document had. */
    public record LoadedTenants(int tenants) {}

    /** What a tenant is named from now on. */
    public record NewName(String to) {}

    /**
     * What services would say if a tenant had another name.
     *
     * @param services those that are for the tenant, or that refer to it
     * @param preview what an order that refreshes all of them would change; null where there is none
     */
    public record RenamingView(List<String> services, @Nullable PreviewView preview) {}

    /** What an act about a tenant is about, in the log of acts. */
    private record AsRecorded(String contact, List<End> attachments) {

        private static AsRecorded of(Tenant tenant) {
            return new AsRecorded(tenant.contact(), tenant.attachments());
        }
    }

    /** A page of tenants by name, or of those whose name, contact or attachment points contain a text. */
    @GetMapping
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<List<TenantView>> tenants(@RequestParam Optional<String> search, @RequestParam Optional<String> after, @RequestParam Optional<Integer> limit, Caller caller,
            HttpServletRequest request) {
        ListPage page = ListPage.of(limit);
        String text = search.orElse("").toLowerCase(Locale.ROOT);
        List<TenantView> found = tenants.all().stream().map(TenantView::of).filter(tenant -> caller.seesTenant(tenant.name())).filter(tenant -> tenant.name().compareTo(after.orElse("")) > 0)
                .filter(tenant -> (tenant.name() + "\n" + tenant.contact() + "\n" + tenant.attachments()).toLowerCase(Locale.ROOT).contains(text)).limit(page.toFind()).toList();
        return page.answer(found, request, "after", TenantView::name, tenant -> tenant);
    }

    /** A tenant, with its entity tag. */
    @GetMapping("/{name}")
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<TenantView> tenant(@PathVariable String name, Caller caller) {
        if (!caller.seesTenant(name)) {
            throw new Problems.NotFound("there is no tenant named '" + name + "'");
        }
        return answer(HttpStatus.OK, tenants.tenant(name));
    }

    /** Adds tenants by a document, or changes those that are there; others stay. */
    @PostMapping
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/TenantsDocument")), @Content(mediaType = "application/yaml")})
    @Requires(Role.ADMINISTER)
    @Recorded("load tenants")
    LoadedTenants load(HttpServletRequest request, Principal who, Act act) throws IOException {
        List<Tenant> read = TenantDocument.read(Document.read(Body.read(request)), source.network());
        read.forEach(tenant -> act.about("tenant", tenant.name()));
        tenants.put(read, who.getName());
        return new LoadedTenants(read.size());
    }

    /** Adds a tenant, or changes it. {@code If-Match} with its entity tag makes sure that it is still the one that was seen, {@code If-None-Match: *} that there is none. */
    @PutMapping("/{name}")
    @io.swagger.v3.oas.annotations.parameters.RequestBody(required = true, content = {@Content(mediaType = "application/json", schema = @Schema(ref = "#/components/schemas/TenantDocument")), @Content(mediaType = "application/yaml")})
    @ApiResponse(responseCode = "200", description = "It is changed.")
    @ApiResponse(responseCode = "201", description = "It is added.")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "put tenant", about = "tenant")
    ResponseEntity<TenantView> put(@PathVariable String name, HttpServletRequest request, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match,
            @RequestHeader(HttpHeaders.IF_NONE_MATCH) Optional<String> noneMatch, Principal who, Act act) throws IOException {
        Optional<Tenant> before = source.tenants().tenant(name);
        Tenant tenant = TenantDocument.read(name, Document.read(Body.read(request)), source.network());
        before.map(AsRecorded::of).ifPresent(act::before);
        act.after(AsRecorded.of(tenant));
        return answer(before.isPresent() ? HttpStatus.OK : HttpStatus.CREATED, tenants.put(tenant, Precondition.of(match, noneMatch), who.getName()));
    }

    /** Removes a tenant that no service is for. */
    @DeleteMapping("/{name}")
    @ApiResponse(responseCode = "204", description = "It is removed.")
    @ApiResponse(responseCode = "409", description = "Services are for it, or an order is under way.")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "remove tenant", about = "tenant")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void remove(@PathVariable String name, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Act act) {
        act.before(AsRecorded.of(tenants.tenant(name).tenant()));
        tenants.drop(name, Precondition.of(match, Optional.empty()));
    }

    /** What services would say on devices if a tenant had another name. */
    @PostMapping("/{name}/renaming-previews")
    @Requires(Role.ADMINISTER)
    @Recorded.Not("nothing is changed")
    RenamingView previewRenaming(@PathVariable String name, @RequestBody NewName renamed, Principal who) {
        return new RenamingView(renaming.concerned(name), renaming.preview(name, renamed.to(), who.getName()).map(preview -> PreviewView.of(preview, orders)).orElse(null));
    }

    /** Gives a tenant another name. What its services say on devices stays until an order refreshes them. */
    @PostMapping("/{name}/renaming")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "rename tenant", about = "tenant")
    ResponseEntity<TenantView> rename(@PathVariable String name, @RequestBody NewName renamed, Act act) {
        act.about("tenant", renamed.to()).after(renamed);
        return answer(HttpStatus.OK, renaming.rename(name, renamed.to()));
    }

    private static ResponseEntity<TenantView> answer(HttpStatus status, Kept kept) {
        return ResponseEntity.status(status).eTag(EntityTag.of(kept.row().version())).body(TenantView.of(kept));
    }
}
