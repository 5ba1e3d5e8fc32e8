package rilvan.server.orders.staging;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.document.ValidationFailure;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.plan.Stages;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;

/** Which part of an order each of its stages is. */
@Component
public class StageSplit {

    private final StoredPlanningSource source;
    private final Library library;

    StageSplit(StoredPlanningSource source, Library library) {
        this.source = source;
        this.library = library;
    }

    /**
     * The order documents of all stages; one that nothing belongs to names no service.
     *
     * @throws ValidationFailure where a stage names what is not there, or what nothing of the order is at
     */
    public List<Map<String, Object>> split(Map<String, Object> order, Staging staging) {
        Stages stages = staging.in(source.network());
        List<Map<String, Object>> documents = stages.split(order, name -> source.service(name).map(Service::asOrdered),
                (model, version) -> library.catalog().model(model, version.map(Long::intValue)).map(each -> each.parameters().schema()));
        if (staging.newBeforeOld() && isEmpty(documents.get(documents.size() - 1))) {
            throw new ValidationFailure("/newBeforeOld", "nothing goes with this order: no service, and nothing of a list that is at devices");
        }
        if (staging.newBeforeOld() && documents.subList(0, documents.size() - 1).stream().allMatch(StageSplit::isEmpty)) {
            throw new ValidationFailure("/newBeforeOld", "nothing comes with this order that could be proven before the old goes");
        }
        IntStream.range(0, staging.places().size()).filter(stage -> isEmpty(documents.get(stage))).findFirst().ifPresent(stage -> {
            throw new ValidationFailure("/first", "nothing of this order can be done at " + String.join(", ", staging.places().get(stage)) + " alone: no service has a place there, or none that it could stand with by itself");
        });
        return documents;
    }

    /** Whether a stage has nothing to do. */
    public static boolean isEmpty(Map<String, Object> document) {
        return List.of("services", "remove", "refresh", "move", "suspend", "resume", "returns").stream().allMatch(field -> named(document, field).isEmpty());
    }

    /** The services of which something becomes in a stage. */
    public static List<String> services(Map<String, Object> document) {
        return Stream.of(named(document, "services").stream().map(service -> ((Map<?, ?>) service).get("name")), named(document, "remove").stream(), named(document, "refresh").stream(),
                Stream.of("suspend", "resume").flatMap(field -> named(document, field).stream()).map(place -> String.valueOf(place).split("/", 2)[0]).distinct(),
                named(document, "move").stream().map(service -> ((Map<?, ?>) service).get("service"))).flatMap(names -> names).map(String::valueOf).toList();
    }

    /** What a whole order is up to a stage, as one document: each service as the latest of these stages has it. */
    public static Map<String, Object> until(List<Map<String, Object>> documents, int stage) {
        Map<String, Object> until = new LinkedHashMap<>(documents.get(stage));
        Map<Object, Object> services = new LinkedHashMap<>();
        List<Object> remove = new ArrayList<>();
        for (Map<String, Object> document : documents.subList(0, stage + 1)) {
            named(document, "services").forEach(service -> services.merge(((Map<?, ?>) service).get("name"), service, StageSplit::renamedAsBefore));
            remove.addAll(named(document, "remove"));
        }
        services.keySet().removeAll(remove);
        until.put("services", List.copyOf(services.values()));
        until.put("remove", remove);
        return until;
    }

    /** Only the first stage that has a service gives it its new name. */
    private static Object renamedAsBefore(Object before, Object after) {
        Map<Object, Object> service = new LinkedHashMap<>((Map<?, ?>) after);
        Optional.ofNullable(((Map<?, ?>) before).get("renamed_from")).ifPresent(name -> service.put("renamed_from", name));
        return service;
    }

    private static List<?> named(Map<String, Object> document, String field) {
        return document.get(field) instanceof List<?> listed ? listed : List.of();
    }
}
