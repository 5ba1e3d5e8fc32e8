package rilvan.core.plan;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceExpansion;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Variation;

/**
 * Tries a model before any service is made of it: orders for it, with other parameters than theirs by chance. Most are refused by a rule or can be done; neither is
 * a fault.
 */
public final class ModelTrial {

    /** A piece of native text is the engineer's own, and so is what is wrong in it. */
    private static final String NATIVE = Dialect.CANNOT_SAY + "'" + Dialect.NATIVE + "'";

    private final InMemoryPlanningSource estate;
    private final Random random;
    private final Map<String, String> faults = new LinkedHashMap<>();

    public ModelTrial(InMemoryPlanningSource estate, Random random) {
        this.estate = estate;
        this.random = random;
    }

    /** Tries an order, and as many variations of its services of a model. */
    public void vary(Object order, ServiceModel model, int count) {
        Variation variation = new Variation(model.parameters(), estate.network(), random);
        look(order);
        for (int i = 0; i < count; i++) {
            Object varied = Variation.copy(order);
            for (int changes = 1 + random.nextInt(3); changes > 0; changes--) {
                ((Map<?, ?>) varied).values().stream().filter(List.class::isInstance).flatMap(services -> ((List<?>) services).stream()).filter(service ->
                        service instanceof Map<?, ?> fields && model.name().equals(fields.get("model"))).forEach(service -> variation.change(((Map<?, ?>) service).get("parameters")));
            }
            look(varied);
        }
    }

    /** What went wrong for a reason of the model's or a dialect's own, by the message, each with an order that shows it. */
    public Map<String, String> faults() {
        return faults;
    }

    private void look(Object order) {
        fault(new Document(order, Map.of())).ifPresent(fault -> faults.putIfAbsent(fault, String.valueOf(order)));
    }

    private Optional<String> fault(Document order) {
        try {
            estate.plan(OrderDocument.read(order));
            return Optional.empty();
        } catch (ValidationFailure e) {
            return e.problems().stream().map(Problem::message)
                    .filter(message -> message.contains(Dialect.CANNOT_SAY) && !message.contains(NATIVE) || message.contains(ServiceExpansion.CANNOT_WORK_OUT)).findFirst();
        } catch (RuntimeException e) {
            return Optional.of(e.toString());
        }
    }
}
