package rilvan.server.orders.drafts;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceModel;
import rilvan.core.table.Mapping;
import rilvan.core.table.Table;
import rilvan.core.table.TableServices;
import rilvan.core.table.TableServices.Fault;
import rilvan.server.library.Library;
import rilvan.server.orders.drafts.DraftBook.Kept;
import rilvan.server.store.Json;

/** Tables of services, one row a service or one row an item of a service's list, on their way into drafts. */
@Component
public class Tables {

    private final Library library;
    private final Json json;

    Tables(Library library, Json json) {
        this.library = library;
        this.json = json;
    }

    /**
     * What a table says.
     *
     * @param headings of its columns
     * @param mapping what the columns are taken for
     * @param services what its rows make, and what is wrong with its cells
     */
    public record Read(List<String> headings, Mapping mapping, TableServices services) {

        /** What is wrong with the services in a draft, by the cells that it comes from. */
        public List<Fault> faults(Kept draft, DraftBook drafts) {
            return draft.entries().stream().filter(entry -> services.services().containsKey(entry.service())).flatMap(entry -> drafts.problems(entry).stream().flatMap(problem -> {
                TableServices.Cell cell = services.services().get(entry.service()).cellOf(problem.pointer());
                return Stream.of(new Fault(cell.line(), cell.heading(), problem.message()));
            })).toList();
        }

        /** @throws ValidationFailure with what is wrong, by line and column, unless only good services are wanted */
        public void sound(boolean good) {
            if (!good && !services.faults().isEmpty()) {
                throw new ValidationFailure(services.faults().stream().map(fault -> new Problem("/lines/" + fault.line() + (fault.heading().isEmpty() ? "" : "/" + Document.escape(fault.heading())), fault.message())).toList());
            }
        }
    }

    /**
     * Reads a table.
     *
     * @param model what its services are of
     * @param written what its columns say, as {@link Mapping} reads it; taken from their headings where that is absent
     * @param always values by target, where no column says one; beside a mapping that is written they are none
     * @throws ValidationFailure where it is no table, or it is not known what a column says
     */
    public Read read(byte[] bytes, String model, Optional<Map<String, Object>> written, Map<String, Object> always) {
        ServiceModel of = library.catalog().model(model, Optional.empty()).orElseThrow(() -> new ValidationFailure("/model", "there is no service model '" + model + "'; " + KnownNames.instead(model, library.catalog().models().keySet())));
        Table table = Table.read(bytes);
        Mapping mapping = written.map(each -> Mapping.read(Document.read(json.write(each)), table.headings(), of)).orElseGet(() -> Mapping.guessed(table.headings(), always, of));
        return new Read(table.headings(), mapping, TableServices.of(table, mapping, of));
    }

    /** The services without a wrong cell, as an order document. */
    public String order(Read read) {
        return json.write(read.services().order("-"));
    }
}
