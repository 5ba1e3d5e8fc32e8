package rilvan.server.orders;

import jakarta.annotation.PreDestroy;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.dao.ConcurrencyFailureException;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.catalog.Catalog;
import rilvan.core.dialect.NativeLine;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.order.OrderDocument;
import rilvan.core.order.Plan;
import rilvan.core.order.Plan.DevicePlan;
import rilvan.core.order.Plan.Kind;
import rilvan.core.order.Plan.Outcome;
import rilvan.core.order.Planner;
import rilvan.core.order.State;
import rilvan.core.order.Transaction;
import rilvan.core.pool.Allocation;
import rilvan.server.Application.Settings;
import rilvan.server.checks.Prober;
import rilvan.server.devices.DeviceDesk;
import rilvan.server.estate.StoredEstate;
import rilvan.server.estate.StoredNumbers;
import rilvan.server.orders.PlanRecord.ServiceRecord;
import rilvan.server.store.Inventory;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.Orders.OrderRow;
import rilvan.server.store.Orders.PartRow;
import rilvan.server.store.Services;

/** Where orders come in: previewed without touching a device, placed with everything they need held at once. */
@Component
public class OrderDesk {

    private static final Logger LOG = LoggerFactory.getLogger(OrderDesk.class);
    private static final int PLANNINGS = 5;
    private static final Comparator<Allocation> BY_PLACE = Comparator.comparing(Allocation::pool).thenComparing(Allocation::within)
            .thenComparing(Allocation::number);

    private final Planner planner;
    private final Orders orders;
    private final Services services;
    private final Inventory inventory;
    private final StoredEstate estate;
    private final Journal journal;
    private final Progress progress;
    private final Json json;
    private final TransactionTemplate transactions;
    private final OrderRun.World world;
    private final ExecutorService drivers = Executors.newCachedThreadPool();
    private final ScheduledExecutorService timer = Executors.newSingleThreadScheduledExecutor();
    private final Map<Long, OrderRun> runs = new ConcurrentHashMap<>();
    private final Settings settings;

    public OrderDesk(Catalog catalog, StoredEstate estate, StoredNumbers numbers, Orders orders, Services services,
            Inventory inventory, Journal journal, Progress progress, Prober prober, DeviceDesk devices, Json json,
            TransactionTemplate transactions, Settings settings) {
        this.planner = new Planner(catalog.models(), catalog.dialects(), estate, numbers);
        this.orders = orders;
        this.services = services;
        this.inventory = inventory;
        this.estate = estate;
        this.journal = journal;
        this.progress = progress;
        this.json = json;
        this.transactions = transactions;
        this.settings = settings;
        this.world = new OrderRun.World(devices.sessions(), journal, orders, prober, progress, timer, Clock.systemUTC());
    }

    /** What an order would change. The digest names this very preview. */
    public record Preview(Plan plan, Map<String, List<NativeLine>> lines, String digest) {}

    /** An order that another one keeps from starting. */
    public static final class Busy extends RuntimeException {
        Busy(String message) {
            super(message);
        }
    }

    /** A preview that is no longer what the order would do. */
    public static final class PreviewMoved extends RuntimeException {
        PreviewMoved() {
            super("what this order would change is no longer what its preview showed; look at the preview again");
        }
    }

    /** What became of placing an order: the order, or nothing where all is as asked already. */
    public record Placed(Optional<Long> order, Preview preview) {}

    public Preview preview(String document) {
        Plan plan = planner.plan(OrderDocument.read(Document.read(document)));
        Map<String, List<NativeLine>> lines = new TreeMap<>();
        plan.devices().forEach((device, part) -> {
            if (!part.lines().isEmpty()) {
                lines.put(device, part.lines().stream().map(line ->
                        new NativeLine(line.sign(), Secret.masked(line.text()), line.at())).toList());
            }
        });
        return new Preview(plan, lines, digest(json.write(lines)));
    }

    private static String digest(String text) {
        try {
            return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(text.getBytes(StandardCharsets.UTF_8)), 0, 8);
        } catch (NoSuchAlgorithmException e) {
            throw new IllegalStateException(e);
        }
    }

    /**
     * Places an order and starts it.
     *
     * @param agreed digest of the preview that was agreed to, if one was
     * @param key an idempotency key: the same key from the same person gives the same order, not a second one
     * @throws rilvan.core.document.Refused naming every field at fault
     * @throws Busy where a device or service is held by another order
     * @throws PreviewMoved where the order would do something else than agreed
     */
    public Placed place(String document, String who, Optional<String> agreed, Optional<String> key) {
        for (int attempt = 1;; attempt++) {
            Versions versions = versions(document);
            Preview preview = preview(document);
            Optional<Long> earlier = key.flatMap(given -> orders.byIdempotencyKey(who, given));
            if (earlier.isPresent()) {
                return new Placed(earlier, preview);
            }
            if (agreed.isPresent() && !agreed.get().equals(preview.digest())) {
                throw new PreviewMoved();
            }
            if (preview.plan().changesNothing()) {
                return new Placed(Optional.empty(), preview);
            }
            Optional<Long> order = open(document, who, key, preview, versions);
            if (order.isPresent()) {
                start(order.get());
                return new Placed(order, preview);
            }
            if (attempt == PLANNINGS) {
                throw new Busy("other orders keep changing what this one is planned from; try again");
            }
        }
    }

    /** What an order is planned from: how often each device, and each service it names, has changed so far. */
    private record Versions(Map<String, Long> devices, Map<String, Long> services) {}

    private Versions versions(String document) {
        Map<String, Long> deviceVersions = new TreeMap<>();
        inventory.devices().forEach(device -> deviceVersions.put(device.name(), device.version()));
        Map<String, Long> serviceVersions = new TreeMap<>();
        OrderDocument order = OrderDocument.read(Document.read(document));
        order.services().forEach(service -> serviceVersions.put(service.name(), version(service.name())));
        order.remove().forEach(service -> serviceVersions.put(service, version(service)));
        return new Versions(deviceVersions, serviceVersions);
    }

    /** A service's version; -1 where it does not stand. */
    private long version(String service) {
        return services.service(service).map(Services.ServiceRow::version).orElse(-1L);
    }

    /** The OPEN record, all of it or nothing; nothing where what it was planned from has moved. */
    private Optional<Long> open(String document, String who, Optional<String> key, Preview preview, Versions versions) {
        try {
            return transactions.execute(status -> {
                Optional<Long> opened = write(document, who, key, preview, versions);
                if (opened.isEmpty()) {
                    status.setRollbackOnly();
                }
                return opened;
            });
        } catch (ConcurrencyFailureException e) {
            // Two orders stood in each other's way in the store, which has ended one of them: plan again.
            return Optional.empty();
        }
    }

    /** Plan, numbers and holds; numbers and holds are taken in the same order by everybody, so that nobody waits in a circle. */
    private Optional<Long> write(String document, String who, Optional<String> key, Preview preview, Versions versions) {
        Plan plan = preview.plan();
        PlanRecord record = record(plan);
        long id = orders.add(who, plan.order().reason(), planner.withoutSecrets(document, plan.order()), UUID.randomUUID().toString(), plan.guarantee(),
                json.write(record), key.orElse(null));
        plan.outcomes().stream().map(Outcome::service).sorted().forEach(service -> hold("service", service, id));
        plan.devices().keySet().forEach(device -> hold("device", device, id));
        for (String device : plan.devices().keySet()) {
            if (inventory.device(device).orElseThrow().version() != versions.devices().get(device)) {
                return Optional.empty();
            }
        }
        for (Outcome outcome : plan.outcomes()) {
            if (version(outcome.service()) != versions.services().get(outcome.service())) {
                return Optional.empty();
            }
        }
        for (Allocation allocation : record.taken()) {
            if (services.take(allocation) == 0) {
                return Optional.empty();
            }
        }
        plan.devices().forEach((device, part) -> orders.addPart(part(id, device, part, preview)));
        return Optional.of(id);
    }

    private void hold(String kind, String name, long order) {
        if (orders.hold(kind, name, order) == 0) {
            throw new Busy(name + " is held by order " + orders.holder(kind, name).map(String::valueOf).orElse("another")
                    + "; try again when that has ended");
        }
    }

    private PlanRecord record(Plan plan) {
        List<ServiceRecord> records = new ArrayList<>();
        Set<Allocation> held = new HashSet<>();
        for (Outcome outcome : plan.outcomes()) {
            held.addAll(services.heldBy(outcome.service()));
            records.add(outcome.expansion().map(expansion -> new ServiceRecord(outcome.service(), outcome.kind().name(),
                    expansion.service().tenant(), expansion.service().model(), expansion.modelVersion(), expansion.parameters(),
                    outcome.devices())).orElseGet(() -> new ServiceRecord(outcome.service(), Kind.REMOVE.name(), "", "", 0,
                    estate.service(outcome.service()).orElseThrow().parameters(), Map.of())));
        }
        Set<Allocation> wanted = new HashSet<>(plan.allocations());
        List<Allocation> taken = wanted.stream().filter(allocation -> !held.contains(allocation)).sorted(BY_PLACE).toList();
        List<Allocation> given = held.stream().filter(allocation -> !wanted.contains(allocation)).toList();
        return new PlanRecord(records, taken, given, plan.checks());
    }

    private PartRow part(long order, String device, DevicePlan plan, Preview preview) {
        return new PartRow(order, device, json.write(ChangeRecord.of(plan.part().difference())),
                json.write(estate.rows(device, plan.ledger())), json.write(preview.lines().getOrDefault(device, List.of())));
    }

    private void start(long id) {
        OrderRow row = orders.order(id).orElseThrow();
        Transaction transaction = Transaction.of(row.token(), journal.parts(id));
        drive(row, row.epoch(), transaction, 0);
    }

    private void drive(OrderRow row, long epoch, Transaction transaction, int told) {
        OrderRun run = new OrderRun(row.id(), epoch, transaction, journal.plan(row).checks(), world, told);
        progress.begins(row.id(), State.valueOf(row.state()));
        runs.put(row.id(), run);
        drivers.execute(() -> {
            run.run();
            runs.remove(row.id());
        });
    }

    /**
     * Asks for an order to be taken back. Whether it still can be is decided by the order itself.
     *
     * @return false where it is not under way
     */
    public boolean cancel(long order, String who) {
        OrderRun run = runs.get(order);
        if (run != null) {
            run.cancel(who);
        }
        return run != null;
    }

    /** Takes up what the last process left unfinished, and refuses to work with a store that may forget. */
    @EventListener(ApplicationReadyEvent.class)
    public void takeUp() {
        if (!settings.testStore() && (orders.fsync().equals("off") || orders.synchronousCommit().equals("off"))) {
            throw new IllegalStateException("the database may forget what it was told (fsync or synchronous_commit is off); "
                    + "an order could be lost half-way. Turn both on");
        }
        for (OrderRow row : orders.unfinished()) {
            if (orders.takeOver(row.id(), row.epoch()) == 1) {
                LOG.info("order {} was left at {}; taking it up", row.id(), row.state());
                drive(row, row.epoch() + 1, Transaction.resume(row.token(), journal.parts(row.id()), State.valueOf(row.state()),
                        journal.sessions(row)), orders.events(row.id()).size());
            }
        }
    }

    @PreDestroy
    void close() {
        drivers.shutdownNow();
        timer.shutdownNow();
    }
}
