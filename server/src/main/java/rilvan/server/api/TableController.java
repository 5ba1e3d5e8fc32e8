package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpHeaders;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestHeader;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.ValidationFailure;
import rilvan.core.table.TableServices.Fault;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.orders.drafts.DraftBook;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.orders.drafts.Tables;
import rilvan.server.orders.drafts.Tables.Read;
import rilvan.server.preconditions.Precondition;

/** Tables of services (CSV, RFC 4180), on their way into drafts. */
@RestController
@RequestMapping("/api/v1")
public class TableController {

    private final Tables tables;
    private final DraftBook drafts;
    private final DraftViews views;
    private final Sight sight;

    TableController(Tables tables, DraftBook drafts, DraftViews views, Sight sight) {
        this.tables = tables;
        this.drafts = drafts;
        this.views = views;
        this.sight = sight;
    }

    /**
     * A table.
     *
     * @param model what its services are of
     * @param table its bytes: CSV in UTF-8, with commas, semicolons or tabs
     * @param mapping what its columns say ({@code columns} by heading, {@code always} by target); taken from their headings where it is left out
     * @param always values by target, where no column says one, such as the tenant
     * @param good whether the services without a wrong cell are taken, and the others left out; otherwise all or none
     */
    public record TableBody(String model, byte[] table, @Nullable Map<String, Object> mapping, @Nullable Map<String, Object> always, @Nullable Boolean good) {}

    /** What is wrong at a cell; without a heading, in a line. */
    public record CellFault(long line, String heading, String message) {

        private static List<CellFault> of(List<Fault> faults) {
            return faults.stream().map(fault -> new CellFault(fault.line(), fault.heading(), fault.message())).toList();
        }
    }

    /**
     * What a table says.
     *
     * @param columns what each column is taken for, by its heading; empty where it is passed over
     * @param mapping the same, to be kept
     * @param services how many there are
     * @param faults what is wrong with cells
     */
    public record TableView(Map<String, String> columns, Map<String, Object> mapping, int services, List<CellFault> faults) {

        private static TableView of(Read read) {
            Map<String, String> columns = new LinkedHashMap<>();
            read.headings().forEach(heading -> columns.put(heading, read.mapping().columns().getOrDefault(heading, "")));
            return new TableView(columns, read.mapping().written(), read.services().services().size(), CellFault.of(read.services().faults()));
        }
    }

    /**
     * A draft after a table was added to it.
     *
     * @param table what the table says; services with wrong cells were left out
     * @param problems what keeps the services from being carried out as they are, by the cells that it comes from
     */
    public record TableAddedView(DraftViews.DraftView draft, TableView table, List<CellFault> problems) {}

    /** What a table says, and what its columns are taken for. Nothing is kept. */
    @PostMapping("/tables")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded.Not("nothing is changed")
    TableView read(@RequestBody TableBody body) {
        return TableView.of(tables(body));
    }

    /** Adds the services of a table to a draft, which is made where there is none. A wrong cell is told by its line and heading, and nothing is added, unless only good services are wanted. */
    @PostMapping("/drafts/{name}/tables")
    @ApiResponse(responseCode = "200", description = "The draft as it is from now on.")
    @ApiResponse(responseCode = "409", description = "Somebody else's entry would be replaced, or is being carried out.")
    @Requires(value = Role.PREPARE, scoped = true)
    @Recorded(value = "add table to draft", about = "draft")
    TableAddedView add(@PathVariable String name, @RequestBody TableBody body, @RequestHeader(HttpHeaders.IF_MATCH) Optional<String> match, Caller caller, Act act) {
        views.isThere(caller, name);
        Read read = tables(body);
        read.sound(Boolean.TRUE.equals(body.good()));
        if (read.services().services().values().stream().noneMatch(service -> service.isGood())) {
            throw new ValidationFailure("/table", "has no service without a wrong cell");
        }
        Kept draft = drafts.add(name, tables.order(read), caller.name(), sight.limits(caller, Role.PREPARE), views.seen(caller), Precondition.of(match, Optional.empty()), match.isPresent());
        ResponseEntity<DraftViews.DraftView> view = views.added(caller, draft, act);
        return new TableAddedView(view.getBody(), TableView.of(read), CellFault.of(read.faults(draft, drafts)));
    }

    private Read tables(TableBody body) {
        return tables.read(body.table(), body.model(), Optional.ofNullable(body.mapping()), Optional.ofNullable(body.always()).orElse(Map.of()));
    }
}
