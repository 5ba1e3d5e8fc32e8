package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.servlet.mvc.method.annotation.StreamingResponseBody;
import rilvan.core.document.ValidationFailure;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.files.StateDifferences;
import rilvan.server.files.StateDifferences.Differences;
import rilvan.server.files.StateDifferences.TenantChange;
import rilvan.server.files.StateFiles;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Json;

/** The wanted state as files, and what files would make of it. */
@RestController
@RequestMapping("/api/v1")
public class FilesController {

    private final StateFiles files;
    private final StateDifferences differences;
    private final DraftBook drafts;
    private final DraftViews views;
    private final Sight sight;
    private final Json json;

    FilesController(StateFiles files, StateDifferences differences, DraftBook drafts, DraftViews views, Sight sight, Json json) {
        this.files = files;
        this.differences = differences;
        this.drafts = drafts;
        this.views = views;
        this.sight = sight;
        this.json = json;
    }

    /**
     * Files that are to be compared with the wanted state.
     *
     * @param files texts by path, of those that are otherwise than {@code GET /files} has them; of services and of tenants
     * @param gone paths that {@code GET /files} has and that are to be no more
     */
    public record StateFilesBody(Map<String, String> files, @Nullable List<String> gone) {}

    /**
     * A service that would be another one.
     *
     * @param kind ADD, CHANGE or REMOVE
     */
    public record ServiceDifferenceView(String service, String kind, List<ValueChangeView> changes) {}

    /** What files would make of the wanted state. */
    public record DifferencesView(List<ServiceDifferenceView> services, Map<String, TenantChange> tenants) {}

    /** The wanted state as files, as far as the caller sees it: for each a line with its path and its text. */
    @GetMapping(value = "/files", produces = MediaType.APPLICATION_NDJSON_VALUE)
    @ApiResponse(responseCode = "200", description = "Of any length.", content = @Content(mediaType = MediaType.APPLICATION_NDJSON_VALUE, schema = @Schema(ref = "#/components/schemas/Lines")))
    @Requires(value = Role.LOOK, scoped = true)
    ResponseEntity<StreamingResponseBody> files(Caller caller) {
        return Lines.answer(line -> files.each(caller::seesTenant, service -> sight.sees(caller, service), (path, text) -> {
            Map<String, String> file = new LinkedHashMap<>();
            file.put("path", path);
            file.put("text", text);
            line.accept(json.write(file));
        }));
    }

    /** What files would make of the wanted state, service by service. Nothing is kept. */
    @PostMapping("/files/differences")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded.Not("nothing is changed")
    DifferencesView differences(@RequestBody StateFilesBody body, Caller caller) {
        Differences found = found(body, caller);
        return new DifferencesView(found.services().stream().map(each -> new ServiceDifferenceView(each.service(), each.kind(), ValueChangeView.of(each.changes()))).toList(), found.tenants());
    }

    /** Adds to a draft what makes the services as files say; the draft is made where there is none. */
    @PostMapping("/drafts/{name}/files")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "add files to draft", about = "draft")
    ResponseEntity<DraftViews.DraftView> add(@PathVariable String name, @RequestBody StateFilesBody body, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        views.isThere(caller, name);
        Differences found = found(body, caller);
        if (found.order().isEmpty()) {
            throw new ValidationFailure("/files", "no service is different");
        }
        return views.added(caller, drafts.add(name, found.order(), caller.name(), sight.limits(caller, Role.PREPARE), views.seen(caller), Precondition.of(match, Optional.empty()), match.isPresent()), act);
    }

    private Differences found(StateFilesBody body, Caller caller) {
        return differences.between(body.files(), Optional.ofNullable(body.gone()).orElse(List.of()), caller.name(), sight.limits(caller, Role.PREPARE), caller::seesTenant);
    }
}
