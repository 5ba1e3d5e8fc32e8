package rilvan.server.orders.drafts;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.springframework.stereotype.Component;
import rilvan.core.document.Document;
import rilvan.core.document.KnownNames;
import rilvan.core.document.Secret;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.environment.PlanningSource.Service;
import rilvan.core.model.ServiceDocument;
import rilvan.core.model.ServiceModel;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.OrderDocument.Suspending;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library;
import rilvan.server.orders.intake.OrderIntake;
import rilvan.server.orders.intake.OrderLimits;
import rilvan.server.store.DraftRecords.EntryRow;
import rilvan.server.store.Json;
import rilvan.server.store.Services;
import rilvan.server.store.Services.LastOrder;

/** What an order document says, as entries of a draft: each with what its service is now, secrets sealed. */
@Component
class EntryReader {

    private final StoredPlanningSource source;
    private final Services services;
    private final Library library;
    private final OrderIntake intake;
    private final Json json;

    EntryReader(StoredPlanningSource source, Services services, Library library, OrderIntake intake, Json json) {
        this.source = source;
        this.services = services;
        this.library = library;
        this.intake = intake;
        this.json = json;
    }

    /**
     * @param there the entries that the draft has
     * @throws ValidationFailure where the document is none, or says a secret that cannot be kept
     */
    List<EntryRow> read(String draft, String text, String who, OrderLimits limits, List<EntryRow> there) {
        Document document = Document.read(text);
        OrderDocument order = OrderDocument.read(document);
        if (!order.decisions().isEmpty() || order.byService() || !order.returns().isEmpty()) {
            throw new ValidationFailure(!order.returns().isEmpty() ? "/returns" : order.decisions().isEmpty() ? "/atomic" : "/decisions", "a draft says what is wanted of services; this is said when its order is placed");
        }
        limits.check(order);
        Map<String, Service> standing = source.services(Stream.of(order.services().stream().map(service -> order.present(service.name())), order.remove().stream(), order.refresh().stream(), order.suspended().stream())
                .flatMap(Function.identity()).toList());
        secretsCanBeKept(order, standing);
        Map<String, Object> sealed = EntryDocuments.fields(Document.read(intake.withoutSecrets(document, text, order)).value());
        return new Reading(draft, order, who, standing, there).entries((List<?>) sealed.getOrDefault("services", List.of()));
    }

    private final class Reading {

        private final String draft;
        private final OrderDocument order;
        private final String who;
        private final Map<String, Service> standing;
        private final Map<String, EntryRow> there;
        private final Map<String, Long> lastOrders;

        private Reading(String draft, OrderDocument order, String who, Map<String, Service> standing, List<EntryRow> there) {
            this.draft = draft;
            this.order = order;
            this.who = who;
            this.standing = standing;
            this.there = there.stream().filter(entry -> !entry.kind().equals(EntryDocuments.REMOVE)).collect(Collectors.toMap(EntryRow::service, Function.identity()));
            this.lastOrders = lastOrders(standing.keySet());
        }

        private List<EntryRow> entries(List<?> documents) {
            List<EntryRow> entries = new ArrayList<>();
            for (int i = 0; i < order.services().size(); i++) {
                ServiceDocument service = order.services().get(i);
                String standsAs = order.present(service.name());
                Optional<Service> stands = Optional.ofNullable(standing.get(standsAs));
                Optional<Map<String, Object>> known = Optional.ofNullable(there.get(service.name())).map(EntryDocuments::after).or(() -> stands.map(Service::asOrdered));
                entries.add(EntryReader.this.entry(draft, service.name(), standsAs, stands.isPresent() ? EntryDocuments.CHANGE : EntryDocuments.ADD, service.tenant(), service.model(),
                        unmasked(EntryDocuments.fields(documents.get(i)), known), stands, lastOrders.get(standsAs), who));
            }
            for (int i = 0; i < order.remove().size(); i++) {
                entries.add(ofStanding(order.remove().get(i), EntryDocuments.REMOVE, Map.of(), "/remove/" + i));
            }
            for (int i = 0; i < order.refresh().size(); i++) {
                String service = order.refresh().get(i);
                Integer version = order.moves().get(service);
                entries.add(version == null ? ofStanding(service, EntryDocuments.REFRESH, Map.of(), "/refresh/" + i) : ofStanding(service, EntryDocuments.MOVE, Map.of("version", version.longValue()), "/move"));
            }
            order.suspended().forEach(service -> entries.add(suspended(service)));
            return entries;
        }

        /** The service as it stands, or as the draft has it already, with what is suspended of it. */
        private EntryRow suspended(String service) {
            List<Suspending> said = order.suspensions().stream().filter(each -> each.service().equals(service)).toList();
            Service stands = standing(service, said.get(0).pointer());
            Map<String, Object> wanted = new LinkedHashMap<>(Map.of("name", service));
            wanted.putAll(Optional.ofNullable(there.get(service)).map(EntryDocuments::after).orElseGet(stands::asOrdered));
            library.catalog().model(stands.model(), Optional.of(stands.modelVersion())).ifPresent(model -> said.forEach(each -> {
                try {
                    wanted.put("parameters", model.parameters().suspended(EntryDocuments.fields(wanted.get("parameters")), each.place(), each.suspended()));
                } catch (ValidationFailure e) {
                    throw new ValidationFailure(each.pointer(), e.problems().get(0).message());
                }
            }));
            return EntryReader.this.entry(draft, service, service, EntryDocuments.CHANGE, stands.tenant(), stands.model(), wanted, Optional.of(stands), lastOrders.get(service), who);
        }

        private Service standing(String service, String pointer) {
            return Optional.ofNullable(standing.get(service)).orElseThrow(() -> new ValidationFailure(pointer, "there is no service named '" + service + "'"));
        }

        private EntryRow ofStanding(String service, String kind, Map<String, Object> wanted, String pointer) {
            Service stands = standing(service, pointer);
            return EntryReader.this.entry(draft, service, service, kind, stands.tenant(), stands.model(), wanted, Optional.of(stands), lastOrders.get(service), who);
        }
    }

    private Map<String, Long> lastOrders(Set<String> names) {
        return names.isEmpty() ? Map.of() : services.lastOrders(json.write(names)).stream().collect(Collectors.toMap(LastOrder::service, LastOrder::order));
    }

    /** An entry that starts from what its service is now. */
    EntryRow entry(String draft, String service, String standsAs, String kind, String tenant, String model, Map<String, Object> wanted, Optional<Service> stands, String who) {
        return entry(draft, service, standsAs, kind, tenant, model, wanted, stands, lastOrders(Set.of(standsAs)).get(standsAs), who);
    }

    private EntryRow entry(String draft, String service, String standsAs, String kind, String tenant, String model, Map<String, Object> wanted, Optional<Service> stands, Long lastOrder, String who) {
        Map<String, Object> started = stands.map(Service::asOrdered).orElse(Map.of());
        Map<String, Object> after = kind.equals(EntryDocuments.REMOVE) ? Map.of()
                : EntryDocuments.after(started, wanted, complete(model, wanted.get("version") instanceof Long version ? Optional.of(version.intValue()) : stands.map(Service::modelVersion), tenant,
                        EntryDocuments.fields(wanted.getOrDefault("parameters", started.getOrDefault("parameters", Map.of())))));
        return new EntryRow(draft, service, standsAs, kind, tenant, model, json.write(wanted), json.write(after), json.write(started), stands.isPresent() ? lastOrder : null, who, null, 0, null, "[]");
    }

    /** Parameters with every one there, as those of a service that stands are; as they were written where they are not valid. */
    private Map<String, Object> complete(String model, Optional<Integer> version, String tenant, Map<String, Object> parameters) {
        try {
            return library.catalog().model(model, version).map(known -> known.parameters().validate(parameters, source, tenant, "")).orElse(parameters);
        } catch (ValidationFailure e) {
            return parameters;
        }
    }

    /** A secret that was shown as a mask is the one that the service has, or that the draft has of it. */
    private static Map<String, Object> unmasked(Map<String, Object> document, Optional<Map<String, Object>> known) {
        if (known.isEmpty() || !(document.get("parameters") instanceof Map)) {
            return document;
        }
        Map<String, Object> whole = new LinkedHashMap<>(document);
        whole.put("parameters", Secret.unmasked(EntryDocuments.fields(document.get("parameters")), EntryDocuments.fields(known.get().getOrDefault("parameters", Map.of()))));
        return whole;
    }

    /** A secret that cannot be one would be kept as it was written; what is secret, the model says. */
    private void secretsCanBeKept(OrderDocument order, Map<String, Service> standing) {
        List<Problem> problems = new ArrayList<>();
        for (int i = 0; i < order.services().size(); i++) {
            ServiceDocument service = order.services().get(i);
            Optional<Integer> version = service.version().or(() -> Optional.ofNullable(standing.get(order.present(service.name())))
                    .filter(stands -> stands.model().equals(service.model())).map(Service::modelVersion));
            Optional<ServiceModel> model = library.catalog().model(service.model(), version);
            if (model.isEmpty()) {
                problems.add(new Problem("/services/" + i + "/model", "there is no model named '" + service.model() + "'" + version.map(number -> " at version " + number).orElse("") + "; "
                        + KnownNames.instead(service.model(), library.catalog().models().keySet())));
                continue;
            }
            String at = "/services/" + i + "/parameters";
            model.get().parameters().secrets(service.parameters()).stream().filter(secret -> !Secret.isSealed(secret) && !secret.equals(Secret.MASK))
                    .flatMap(secret -> Secret.fault(secret).stream()).forEach(fault -> problems.add(new Problem(at, "a secret " + fault)));
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
    }
}
