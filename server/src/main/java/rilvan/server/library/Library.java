package rilvan.server.library;

import jakarta.annotation.PostConstruct;
import jakarta.annotation.PreDestroy;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.catalog.Catalog;
import rilvan.core.catalog.Release;
import rilvan.core.catalog.Release.Kind;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Folder;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;
import rilvan.server.Settings;
import rilvan.server.ops.Repeating;
import rilvan.server.store.Json;
import rilvan.server.store.Releases;
import rilvan.server.store.Releases.ReleaseRow;
import tools.jackson.core.type.TypeReference;

/**
 * What is in force: the vocabulary, the dialects and the models, as they are published in the store. Every instance looks for changes, so that all
 * agree within a second. At the start, what is new in the folder of the settings is published; what is wrong there is reported, and the rest serves.
 */
@Component
public class Library {

    private static final Logger LOG = LoggerFactory.getLogger(Library.class);
    private static final Duration LOOK = Duration.ofMillis(300);
    private static final String AT_START = "the folder of models at the start";
    private static final TypeReference<Map<String, String>> FILES = new TypeReference<>() {};

    private final Releases releases;
    private final Json json;
    private final List<Problem> atStart = new ArrayList<>();
    private final Repeating look = new Repeating("library");
    private volatile InForce inForce;

    /**
     * What is in force at a version of the library.
     *
     * @param faults what of it cannot be read; the rest serves
     */
    public record InForce(long version, Catalog catalog, List<Problem> faults) {}

    public Library(Releases releases, Json json, TransactionTemplate transactions, Settings settings) throws IOException {
        this.releases = releases;
        this.json = json;
        // What takes a while is done before the database transaction.
        List<Release> fresh = soundAtStart(atStart(settings.models()));
        transactions.executeWithoutResult(status -> {
            releases.lock();
            fresh.forEach(this::publishAtStart);
        });
        this.inForce = load();
        problems().forEach(problem -> LOG.error("not in force: {}", problem));
    }

    @PostConstruct
    void begin() {
        look.begin(LOOK, LOOK, this::refresh);
    }

    @PreDestroy
    void close() {
        look.close();
    }

    public Catalog catalog() {
        return inForce.catalog();
    }

    public InForce inForce() {
        return inForce;
    }

    /** What of the folder at the start, or of what is published, is not in force though it should be, and why. */
    public List<Problem> problems() {
        List<Problem> problems = new ArrayList<>(atStart);
        problems.addAll(inForce.faults());
        return problems;
    }

    /** Takes up what has changed in the store. */
    public synchronized void refresh() {
        if (releases.libraryVersion() != inForce.version()) {
            inForce = load();
            LOG.info("the library is at version {}: {} service models, {} dialects", inForce.version(), inForce.catalog().models().size(), inForce.catalog().dialects().size());
        }
    }

    /** Whether what was planned with a version of the library has to be planned again; then this instance has taken up what is in force. */
    public boolean isOutdated(long version) {
        refresh();
        return inForce.version() != version;
    }

    private List<Release> atStart(Path models) throws IOException {
        List<Release> found = new ArrayList<>();
        for (Path place : Catalog.places(models)) {
            try {
                found.add(Release.read(models, place));
            } catch (ValidationFailure e) {
                atStart.addAll(e.problems());
            }
        }
        return found;
    }

    /** Of what was found those that the store does not have yet and that have nothing wrong in them. */
    private List<Release> soundAtStart(List<Release> found) {
        List<Release> fresh = found.stream().filter(this::isNewAtStart).toList();
        if (fresh.isEmpty()) {
            return fresh;
        }
        List<Release> published = releases.inForce().stream().map(this::release).toList();
        Vocabulary before = readable(published).orElse(Vocabulary.NOTHING);
        Vocabulary vocabulary = readable(found).filter(now -> now.extendsOnly(before)).orElse(before);
        // What is found may contain services of what is published, and of what is found beside it.
        Map<String, SortedMap<Integer, ServiceModel>> models = new LinkedHashMap<>();
        of(0, published).catalog().versions().forEach((name, versions) -> models.put(name, new TreeMap<>(versions)));
        return Release.inOrder(fresh).stream().filter(release -> {
            try {
                compile(release, vocabulary, models).ifPresent(model -> models.computeIfAbsent(model.name(), name -> new TreeMap<>()).put(model.version(), model));
                return true;
            } catch (ValidationFailure e) {
                atStart.addAll(e.problems());
                return false;
            }
        }).toList();
    }

    private boolean isNewAtStart(Release release) {
        Optional<ReleaseRow> stored = stored(release);
        stored.map(row -> release.changedInForce(release(row))).filter(changed -> !changed.isEmpty()).ifPresent(changed -> atStart.add(new Problem(place(release), "differs from "
                + release.inWords() + ", as it was published: " + String.join(", ", changed) + ". A version never changes; give the changed one a higher version")));
        return stored.isEmpty();
    }

    /** The vocabulary among some releases, where there is one that can be read. */
    private static Optional<Vocabulary> readable(List<Release> releases) {
        return ofVocabulary(releases).flatMap(release -> {
            try {
                return Optional.of(release.vocabulary());
            } catch (ValidationFailure e) {
                return Optional.empty();
            }
        });
    }

    private Optional<ReleaseRow> stored(Release release) {
        return releases.release(release.kind().name(), release.name(), release.version());
    }

    /**
     * Adds a release, within a database transaction that has the lock. Every version of a model, the first one of a dialect or of the vocabulary, and a vocabulary that only adds to
     * the one in force, is in force at once.
     *
     * @return whether it is in force
     */
    boolean add(Release release, String who, String reason) {
        List<Release> before = releases.inForce().stream().filter(row -> isOf(row, release)).map(this::release).toList();
        boolean inForceNow = release.kind() == Kind.MODEL || before.isEmpty() || release.kind() == Kind.VOCABULARY && release.vocabulary().extendsOnly(before.get(0).vocabulary());
        if (inForceNow && release.kind() != Kind.MODEL) {
            releases.outOfForce(release.kind().name(), release.name());
        }
        releases.add(new ReleaseRow(release.kind().name(), release.name(), release.version(), release.folder().digest(), json.write(release.folder().texts()), inForceNow, false), who, reason);
        releases.changed();
        return inForceNow;
    }

    /** Whether a row is a version of the same thing. */
    static boolean isOf(ReleaseRow row, Release release) {
        return row.kind().equals(release.kind().name()) && row.name().equals(release.name());
    }

    /** Publishes what no other instance has published meanwhile. */
    private void publishAtStart(Release release) {
        if (stored(release).isPresent()) {
            return;
        }
        if (!add(release, AT_START, "-")) {
            atStart.add(new Problem(place(release), release.inWords() + ", is published and not in force yet; look at it and put it into force with: rilvan model activate "
                    + release.name() + " " + release.version()));
        }
    }

    private static String place(Release release) {
        return release.folder().name().isEmpty() ? release.kind().main() : release.folder().name();
    }

    /**
     * @return the model where it is one
     * @throws ValidationFailure naming everything that is wrong in it
     */
    static Optional<ServiceModel> compile(Release release, Vocabulary vocabulary, Map<String, SortedMap<Integer, ServiceModel>> models) {
        switch (release.kind()) {
            case VOCABULARY -> release.vocabulary();
            case DIALECT -> release.triedDialect(vocabulary);
            case MODEL -> {
                return Optional.of(release.model(vocabulary, models));
            }
        }
        return Optional.empty();
    }

    Release release(ReleaseRow row) {
        return new Release(Kind.valueOf(row.kind()), row.name(), row.version(), Folder.of(row.name(), json.read(row.filesJson(), FILES)));
    }

    private InForce load() {
        long version = releases.libraryVersion();
        return of(version, releases.inForce().stream().map(this::release).toList());
    }

    private static Vocabulary vocabulary(List<Release> releases) {
        return ofVocabulary(releases).map(Release::vocabulary).orElse(Vocabulary.NOTHING);
    }

    private static Optional<Release> ofVocabulary(List<Release> releases) {
        return releases.stream().filter(each -> each.kind() == Kind.VOCABULARY).findFirst();
    }

    /** What is in force together, of the releases that can be read together. */
    static InForce of(long version, List<Release> releases) {
        List<Problem> faults = new ArrayList<>();
        Vocabulary vocabulary = vocabulary(releases);
        Map<String, SortedMap<Integer, ServiceModel>> models = new LinkedHashMap<>();
        Map<String, Dialect> dialects = new LinkedHashMap<>();
        for (Release each : Release.inOrder(releases)) {
            try {
                if (each.kind() == Kind.DIALECT) {
                    dialects.put(each.name(), each.dialect(vocabulary));
                } else if (each.kind() == Kind.MODEL) {
                    models.computeIfAbsent(each.name(), name -> new TreeMap<>()).put(each.version(), each.model(vocabulary, models));
                }
            } catch (ValidationFailure e) {
                e.problems().forEach(problem -> faults.add(new Problem(each.inWords() + ": " + problem.pointer(), problem.message())));
            }
        }
        models.values().removeIf(Map::isEmpty);
        return new InForce(version, new Catalog(vocabulary, models, dialects), faults);
    }
}
