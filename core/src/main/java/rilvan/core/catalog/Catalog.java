package rilvan.core.catalog;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.stream.Stream;
import rilvan.core.catalog.Release.Kind;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;

/**
 * The models and dialects that are in force together. Of a model several versions may stand side by side, of a dialect one is in force.
 *
 * @param versions the models by name, each in its versions
 * @param dialects by name
 */
public record Catalog(Vocabulary vocabulary, Map<String, SortedMap<Integer, ServiceModel>> versions, Map<String, Dialect> dialects) {

    public Catalog {
        Map<String, SortedMap<Integer, ServiceModel>> copy = new TreeMap<>();
        versions.forEach((name, models) -> copy.put(name, Collections.unmodifiableSortedMap(new TreeMap<>(models))));
        versions = Collections.unmodifiableMap(copy);
        dialects = Collections.unmodifiableMap(new LinkedHashMap<>(dialects));
    }

    /** What new services are made from: each model in its latest version, by name. */
    public Map<String, ServiceModel> models() {
        Map<String, ServiceModel> latest = new LinkedHashMap<>();
        versions.keySet().forEach(name -> latest.put(name, latest(name).orElseThrow()));
        return Collections.unmodifiableMap(latest);
    }

    /** A model in its latest version. */
    public Optional<ServiceModel> latest(String name) {
        return Optional.ofNullable(versions.get(name)).map(models -> models.get(models.lastKey()));
    }

    /** The same with a model in no other version than this one. */
    public Catalog withOnly(ServiceModel model) {
        Map<String, SortedMap<Integer, ServiceModel>> others = new LinkedHashMap<>(versions);
        others.put(model.name(), new TreeMap<>(Map.of(model.version(), model)));
        return new Catalog(vocabulary, others, dialects);
    }

    /** A model in a version; in its latest where none is said. */
    public Optional<ServiceModel> model(String name, Optional<Integer> version) {
        return version.isEmpty() ? latest(name) : model(name, version.get());
    }

    public Optional<ServiceModel> model(String name, int version) {
        return Optional.ofNullable(versions.getOrDefault(name, Collections.emptySortedMap()).get(version));
    }

    /**
     * Reads all of a folder, or nothing: {@code vocabulary.yaml}, {@code services/NAME/model.yaml}, {@code dialects/NAME/}.
     *
     * @throws ValidationFailure naming file, line and column of everything that is wrong
     * @throws IOException where a file cannot be read
     */
    public static Catalog read(Path folder) throws IOException {
        List<Problem> problems = new ArrayList<>();
        List<Release> releases = new ArrayList<>();
        for (Path place : places(folder)) {
            gather(problems, () -> releases.add(Release.read(folder, place)));
        }
        Vocabulary vocabulary = releases.stream().filter(each -> each.kind() == Kind.VOCABULARY).findFirst()
                .orElseThrow(() -> new ValidationFailure(Kind.VOCABULARY.main(), "is missing")).vocabulary();
        Map<String, SortedMap<Integer, ServiceModel>> models = new LinkedHashMap<>();
        Map<String, Dialect> dialects = new LinkedHashMap<>();
        for (Release each : Release.inOrder(releases)) {
            gather(problems, () -> {
                if (each.kind() == Kind.DIALECT && dialects.put(each.name(), each.triedDialect(vocabulary)) != null) {
                    throw new ValidationFailure(each.folder().name(), "there is already a dialect named " + each.name());
                }
                if (each.kind() == Kind.MODEL && models.computeIfAbsent(each.name(), name -> new TreeMap<>()).put(each.version(), each.model(vocabulary, models)) != null) {
                    throw new ValidationFailure(each.folder().name(), "there is already a model named " + each.name() + " of version " + each.version());
                }
            });
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return new Catalog(vocabulary, models, dialects);
    }

    private interface Step {
        void run() throws IOException;
    }

    private static void gather(List<Problem> problems, Step step) throws IOException {
        try {
            step.run();
        } catch (ValidationFailure e) {
            problems.addAll(e.problems());
        }
    }

    /** Where a folder of models has something to publish: {@code vocabulary.yaml} first, then the folders in {@code dialects/}, and those in {@code services/}. */
    public static List<Path> places(Path folder) throws IOException {
        List<Path> places = new ArrayList<>();
        if (Files.isRegularFile(folder.resolve(Kind.VOCABULARY.main()))) {
            places.add(folder.resolve(Kind.VOCABULARY.main()));
        }
        for (String parent : List.of("dialects", "services")) {
            if (Files.isDirectory(folder.resolve(parent))) {
                try (Stream<Path> children = Files.list(folder.resolve(parent))) {
                    children.filter(Files::isDirectory).sorted().forEach(places::add);
                }
            }
        }
        return places;
    }
}
