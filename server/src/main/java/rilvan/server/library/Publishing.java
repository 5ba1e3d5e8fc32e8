package rilvan.server.library;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.catalog.Catalog;
import rilvan.core.catalog.Release;
import rilvan.core.catalog.Release.Kind;
import rilvan.core.dialect.Codec;
import rilvan.core.dialect.Dialect;
import rilvan.core.dialect.MalformedConfiguration;
import rilvan.core.document.Document;
import rilvan.core.document.Folder;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceModel;
import rilvan.core.network.Device;
import rilvan.core.network.Network;
import rilvan.core.plan.Explainer;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.ModelTrial;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.server.inventory.DatabaseAllocations;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.Library.InForce;
import rilvan.server.store.Inventory;
import rilvan.server.store.Inventory.DeviceConfiguration;
import rilvan.server.store.Orders;
import rilvan.server.store.Releases;
import rilvan.server.store.Releases.ReleaseRow;
import rilvan.server.store.Services;

/** Publishes versions of models, dialects and the vocabulary, puts them into force, and retires them: each a database transaction, whole or not at all. */
@Component
public class Publishing {

    private static final int MOST_NAMED = 10;
    /** Orders that a model is tried with before it is published, the same each time: whoever publishes twice gets the same answer. */
    private static final int VARIED = 200;
    private static final long SEED = 1;

    private final Library library;
    private final Releases releases;
    private final Orders orders;
    private final Services services;
    private final Inventory inventory;
    private final StoredPlanningSource source;
    private final DatabaseAllocations numbers;
    private final TransactionTemplate transactions;

    public Publishing(Library library, Releases releases, Orders orders, Services services, Inventory inventory, StoredPlanningSource source, DatabaseAllocations numbers,
            TransactionTemplate transactions) {
        this.library = library;
        this.releases = releases;
        this.orders = orders;
        this.services = services;
        this.inventory = inventory;
        this.source = source;
        this.numbers = numbers;
        this.transactions = transactions;
    }

    /** Something in the library stands in the way; it would have to change first. */
    public static final class InTheWay extends RuntimeException {
        InTheWay(String message) {
            super(message);
        }
    }

    /**
     * What publishing a release came to, or would come to.
     *
     * @param already whether just this is published already
     * @param inForce whether it is in force now
     * @param outOfDate by service, the devices on which it would say something else; of a dialect or a vocabulary that is not in force
     */
    public record Published(Release release, boolean already, boolean inForce, Map<String, List<String>> outOfDate) {}

    /**
     * Publishes what a folder has. A model is in force from then on, side by side with its earlier versions; a dialect or a vocabulary is put into force by itself,
     * unless it is the first.
     *
     * @throws ValidationFailure naming file, line and column of everything that is wrong in it
     * @throws InTheWay where the same version is published with other content
     */
    public Published publish(Folder folder, String who, String reason) {
        Release release = checked(folder);
        PlainText.faultOfText(reason).ifPresent(fault -> {
            throw new ValidationFailure("/reason", fault);
        });
        Published published = transactions.execute(status -> {
            releases.lock();
            Optional<ReleaseRow> stored = same(release);
            if (stored.isPresent()) {
                return new Published(release, true, stored.get().inForce(), Map.of());
            }
            orders.lockLine();
            return new Published(release, false, library.add(release, who, reason), Map.of());
        });
        library.refresh();
        return published.inForce() ? published : new Published(release, published.already(), false, outOfDate(release));
    }

    /** What publishing would come to; nothing is stored. */
    public Published preview(Folder folder) {
        Release release = checked(folder);
        Optional<ReleaseRow> stored = same(release);
        return new Published(release, stored.isPresent(), stored.map(ReleaseRow::inForce).orElse(false), release.kind() == Kind.MODEL ? Map.of() : outOfDate(release));
    }

    private Release checked(Folder folder) {
        Release release = Release.of(folder);
        Catalog catalog = library.catalog();
        Library.compile(release, catalog.vocabulary(), catalog.versions()).ifPresent(model -> {
            release.checkNames(source.network(), catalog.versions().keySet());
            tried(release, model, catalog.withOnly(model));
        });
        return release;
    }

    /** Its examples, and other parameters than theirs, are worked out on the network: what fails for a reason of the model's own would fail an order. */
    private void tried(Release release, ServiceModel model, Catalog catalog) {
        Network network = source.network();
        Map<String, String> nothing = network.devices().keySet().stream().collect(Collectors.toMap(device -> device, device -> ""));
        ModelTrial trial = new ModelTrial(new InMemoryPlanningSource(catalog, network, nothing), new Random(SEED));
        Map<String, String> examples = release.examples();
        examples.forEach((file, text) -> trial.vary(example(release, file, text), model, VARIED / examples.size()));
        List<Problem> faults = trial.faults().entrySet().stream().map(fault -> new Problem(release.folder().name() + "/" + Kind.MODEL.main(),
                fault.getKey() + "; so it is for the order " + fault.getValue())).toList();
        if (!faults.isEmpty()) {
            throw new ValidationFailure(faults);
        }
    }

    private static Object example(Release release, String file, String text) {
        try {
            return Document.read(text).value();
        } catch (Document.Malformed e) {
            throw new ValidationFailure(release.folder().name() + "/" + file, e.getMessage());
        }
    }

    /** The same version where it is stored. */
    private Optional<ReleaseRow> same(Release release) {
        Optional<ReleaseRow> stored = releases.release(release.kind().name(), release.name(), release.version());
        stored.map(row -> release.changedInForce(library.release(row))).filter(changed -> !changed.isEmpty()).ifPresent(changed -> {
            throw new InTheWay(release.inWords() + ", is published with other content; a version never changes. These files differ: " + named(changed) + ". Give it a higher version");
        });
        return stored;
    }

    private static String named(List<String> names) {
        return names.stream().limit(MOST_NAMED).collect(Collectors.joining(", ")) + (names.size() > MOST_NAMED ? " and " + (names.size() - MOST_NAMED) + " more" : "");
    }

    /** A release that is published. */
    public Optional<Release> release(Kind kind, String name, int version) {
        return releases.release(kind.name(), name, version).map(library::release);
    }

    /** What would be in force with a release instead of the one that is. */
    private InForce with(Release release) {
        List<Release> together = new ArrayList<>(releases.inForce().stream().filter(row -> !Library.isOf(row, release)).map(library::release).toList());
        together.add(release);
        return Library.of(0, together);
    }

    /** The services that would say something else with a release in force, and on which devices. One that cannot be worked out with it has no devices. */
    private Map<String, List<String>> outOfDate(Release release) {
        Explainer with = explainer(with(release).catalog());
        Explainer without = explainer(library.catalog());
        Map<String, List<String>> outOfDate = new TreeMap<>();
        List<String> devices = devices(release);
        for (String service : release.kind() != Kind.DIALECT ? services.names() : devices.isEmpty() ? List.<String>of() : services.on(devices)) {
            outOfDate(with, service).ifPresentOrElse(changed -> {
                if (!changed.isEmpty()) {
                    List<String> before = outOfDate(without, service).orElse(List.of());
                    List<String> more = changed.stream().filter(device -> !before.contains(device)).toList();
                    if (!more.isEmpty()) {
                        outOfDate.put(service, more);
                    }
                }
            }, () -> outOfDate.put(service, List.of()));
        }
        return outOfDate;
    }

    /** The devices of a dialect's family. */
    private List<String> devices(Release release) {
        return source.network().devices().values().stream().filter(device -> device.family().equals(release.name())).map(Device::name).toList();
    }

    private Explainer explainer(Catalog catalog) {
        return new Explainer(() -> catalog, source, numbers);
    }

    private static Optional<List<String>> outOfDate(Explainer explainer, String service) {
        try {
            return Optional.of(explainer.outOfDate(service));
        } catch (ValidationFailure e) {
            return Optional.empty();
        }
    }

    /**
     * Puts a version of a dialect or of the vocabulary into force, in the place of the one that is.
     *
     * @throws ValidationFailure where what is in force could not be read with it, or what is known of devices
     * @throws InTheWay where orders are under way on devices of the family, or the release is a model or retired
     */
    public void activate(Release release) {
        Kind kind = release.kind();
        if (kind == Kind.MODEL) {
            throw new InTheWay("every version of a service model is in force until it is retired; services move to it by an order");
        }
        // What takes a while is done before the database transaction.
        InForce then = with(release);
        if (!then.faults().isEmpty()) {
            throw new ValidationFailure(then.faults());
        }
        List<String> devices = kind == Kind.DIALECT ? devices(release) : List.of();
        Map<String, Long> versions = versions(devices);
        List<DeviceConfiguration> rewritten = rewritten(release, then, devices);
        transactions.executeWithoutResult(status -> {
            releases.lock();
            orders.lockLine();
            ReleaseRow row = releases.release(kind.name(), release.name(), release.version()).orElseThrow();
            if (row.inForce()) {
                return;
            }
            if (row.retired()) {
                throw new InTheWay(release.inWords() + ", is retired");
            }
            List<Long> under = devices.isEmpty() ? List.of() : releases.holding(devices);
            if (!under.isEmpty()) {
                throw new InTheWay("orders are under way on devices of " + release.name() + ": " + named(under.stream().map(String::valueOf).toList()) + "; try again when they have ended");
            }
            if (!versions(devices).equals(versions)) {
                throw new InTheWay("what is known of devices of " + release.name() + " has just changed; try again");
            }
            if (!rewritten.isEmpty()) {
                inventory.putConfigurations(rewritten);
            }
            if (kind == Kind.DIALECT) {
                inventory.putFamilyVersion(release.name(), release.version());
            }
            releases.outOfForce(kind.name(), release.name());
            releases.intoForce(kind.name(), release.name(), release.version());
            releases.changed();
        });
        library.refresh();
    }

    private Map<String, Long> versions(List<String> devices) {
        return devices.isEmpty() ? Map.of() : inventory.versions(devices).stream().collect(Collectors.toMap(Inventory.DeviceVersion::name, Inventory.DeviceVersion::version));
    }

    /** What is known of the family's devices, in the form of another version of its dialect; refused where the version reads what is managed otherwise. */
    private List<DeviceConfiguration> rewritten(Release release, InForce afterwards, List<String> devices) {
        if (devices.isEmpty()) {
            return List.of();
        }
        Dialect now = library.catalog().dialects().get(release.name());
        Codec then = afterwards.catalog().dialects().get(release.name()).codec();
        List<Problem> problems = new ArrayList<>();
        List<DeviceConfiguration> rewritten = new ArrayList<>();
        for (String device : devices) {
            source.configuration(device).ifPresent(text -> {
                try {
                    Node holds = then.decode(text);
                    lost(device, now.codec().decode(text), holds).ifPresent(path -> problems.add(new Problem(device, release.inWords() + ", reads "
                            + path + " otherwise, which services have put there")));
                    rewritten.add(new DeviceConfiguration(device, then.encode(holds)));
                } catch (MalformedConfiguration e) {
                    problems.add(new Problem(device, release.inWords() + ", cannot read what the device holds: " + e.getMessage()));
                }
            });
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return rewritten;
    }

    /** A managed node that a device has in one reading of its configuration and not in the other. */
    private Optional<Path> lost(String device, Node before, Node after) {
        return source.ledger(device).entries().keySet().stream().filter(path -> !before.at(path).map(Node::value).equals(after.at(path).map(Node::value))).findFirst();
    }

    /**
     * Takes a version out of force for good; its files stay.
     *
     * @throws InTheWay where services stand on it, orders are making some, or it is the one dialect or vocabulary that is in force
     */
    public void retire(Release release) {
        Kind kind = release.kind();
        library.refresh();
        transactions.executeWithoutResult(status -> {
            releases.lock();
            orders.lockLine();
            ReleaseRow row = releases.release(kind.name(), release.name(), release.version()).orElseThrow();
            if (kind != Kind.MODEL && row.inForce()) {
                throw new InTheWay(release.inWords() + ", is in force; put another version into force first");
            }
            if (kind == Kind.MODEL) {
                List<String> standing = releases.services(release.name(), release.version(), MOST_NAMED + 1, null);
                if (!standing.isEmpty()) {
                    throw new InTheWay("services stand on " + release.inWords() + ": " + String.join(", ", standing.subList(0, Math.min(MOST_NAMED, standing.size())))
                            + (standing.size() > MOST_NAMED ? " and more" : "") + "; move or remove them first");
                }
                List<String> containing = containing(release.name(), release.version());
                if (!containing.isEmpty()) {
                    throw new InTheWay("services of other models contain services of " + release.inWords() + ": " + named(containing) + "; retire those models first");
                }
                List<Long> making = releases.making(release.name(), release.version());
                if (!making.isEmpty()) {
                    throw new InTheWay("orders under way make services of it: " + named(making.stream().map(String::valueOf).toList()) + "; try again when they have ended");
                }
            }
            releases.retire(kind.name(), release.name(), release.version());
            releases.changed();
        });
        library.refresh();
    }

    /** The models whose services contain services of a version of a model, each with its own version. */
    public List<String> containing(String name, int version) {
        return library.catalog().versions().values().stream().flatMap(versions -> versions.values().stream())
                .filter(model -> model.containedModels().stream().anyMatch(each -> each.name().equals(name) && each.version() == version))
                .map(model -> model.name() + " " + model.version()).toList();
    }

    /** How the files of one release differ from those of another, as unified differences by file; what only one has differs from nothing. */
    public static SortedMap<String, List<String>> differences(Release from, Release to) {
        SortedMap<String, List<String>> differences = new TreeMap<>();
        from.differing(to).forEach(file -> differences.put(file, TextDifference.between(file, from.folder().text(file).orElse(""), to.folder().text(file).orElse(""))));
        return differences;
    }
}
