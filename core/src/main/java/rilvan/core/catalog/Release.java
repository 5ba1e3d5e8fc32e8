package rilvan.core.catalog;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.Supplier;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.document.Folder;
import rilvan.core.document.KnownNames;
import rilvan.core.document.PlainText;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;
import rilvan.core.network.Network;

/**
 * What is published as one: a version of the vocabulary, of a dialect or of a service model, as the files of its folder.
 *
 * @param name of the dialect or model; of the vocabulary it is {@code vocabulary}
 */
public record Release(Kind kind, String name, int version, Folder folder) {

    private static final String SERVICES = "services";

    /** What there is to publish, and the file that its folder is known by. */
    public enum Kind {
        VOCABULARY("vocabulary.yaml", ""), DIALECT(Dialect.MAIN, "dialect"), MODEL("model.yaml", "model");

        private final String main;
        private final String named;

        Kind(String main, String named) {
            this.main = main;
            this.named = named;
        }

        /** The file that says what the others are for. */
        public String main() {
            return main;
        }

        public String words() {
            return name().toLowerCase(Locale.ROOT);
        }
    }

    /**
     * Reads what a folder is: by the file that is in it, and by the name and version at the head of that file.
     *
     * @throws ValidationFailure where it is nothing that can be published
     */
    public static Release of(Folder folder) {
        Kind kind = Stream.of(Kind.values()).filter(each -> folder.text(each.main()).isPresent()).findFirst().orElseThrow(() -> new ValidationFailure("", folder.name()
                + " has neither " + Kind.MODEL.main() + " nor " + Kind.DIALECT.main() + " nor " + Kind.VOCABULARY.main()));
        String file = file(folder, kind);
        return told(file, () -> {
            if (!(Document.read(folder.text(kind.main()).orElseThrow()).value() instanceof Map<?, ?> fields)) {
                throw new ValidationFailure("", "expected fields");
            }
            Object version = fields.containsKey("version") ? fields.get("version") : 1L;
            if (!(version instanceof Long number) || number < 1 || number > 1_000_000) {
                throw new ValidationFailure("/version", "expected a whole number from 1 to 1000000");
            }
            if (kind == Kind.VOCABULARY) {
                return new Release(kind, kind.words(), number.intValue(), folder);
            }
            if (!(fields.get(kind.named) instanceof String name) || !PlainText.isName(name)) {
                throw new ValidationFailure("/" + kind.named, "expected a name of small letters, digits and hyphens");
            }
            return new Release(kind, name, number.intValue(), folder);
        });
    }

    /**
     * Reads what stands at a place in a folder of models: {@code vocabulary.yaml}, or the folder of a dialect or model.
     *
     * @throws ValidationFailure where it is nothing that can be published
     * @throws IOException where a file cannot be read
     */
    public static Release read(Path models, Path place) throws IOException {
        String name = models.relativize(place).toString();
        if (Files.isRegularFile(place)) {
            return of(Folder.of("", Map.of(name, Files.readString(place))));
        }
        return of(Folder.of(name, Folder.read(place).texts()));
    }

    private static String file(Folder folder, Kind kind) {
        return file(folder, kind.main());
    }

    private static String file(Folder folder, String file) {
        return folder.name().isEmpty() ? file : folder.name() + "/" + file;
    }

    public String inWords() {
        return kind == Kind.VOCABULARY ? "the vocabulary, version " + version : "the " + kind.words() + " " + name + ", version " + version;
    }

    /** Releases in such an order that a model stands behind those it contains services of, as far as they are among them; otherwise as they were. */
    public static List<Release> inOrder(List<Release> releases) {
        Set<Release> ordered = new LinkedHashSet<>();
        releases.forEach(release -> release.place(releases, new HashSet<>(), ordered));
        return List.copyOf(ordered);
    }

    private void place(List<Release> releases, Set<Release> above, Set<Release> ordered) {
        if (!ordered.contains(this) && above.add(this)) {
            Set<Object> contained = contained();
            releases.stream().filter(release -> release.kind == Kind.MODEL && contained.contains(List.of(release.name, (long) release.version))).forEach(release ->
                    release.place(releases, above, ordered));
            ordered.add(this);
        }
    }

    /** The models that it contains services of, each a name and a version; what is wrong with them is told when it is read. */
    private Set<Object> contained() {
        Set<Object> contained = new HashSet<>();
        // Most contain nothing, and need not be read once more to find that.
        if (kind == Kind.MODEL && text().contains(SERVICES + ":") && Document.read(text()).value() instanceof Map<?, ?> fields && fields.get(SERVICES) instanceof List<?> services) {
            services.stream().filter(Map.class::isInstance).forEach(each -> contained.add(Arrays.asList(((Map<?, ?>) each).get("model"), ((Map<?, ?>) each).get("version"))));
        }
        return contained;
    }

    /** The paths of files that another release has otherwise, or only one of both has. */
    public List<String> differing(Release other) {
        return Stream.concat(folder.texts().keySet().stream(), other.folder.texts().keySet().stream()).distinct().sorted()
                .filter(file -> !file.equals(Folder.PAGE) && !folder.text(file).equals(other.folder.text(file))).toList();
    }

    /** Of these the paths of files that say what is in force: a model's examples, tests and what they expect may change within a version. */
    public List<String> changedInForce(Release other) {
        return differing(other).stream().filter(file -> kind != Kind.MODEL || file.equals(kind.main())).toList();
    }

    /** @throws ValidationFailure naming file, line and column of everything that is wrong */
    public Vocabulary vocabulary() {
        return told(file(folder, kind), () -> Vocabulary.read(Document.read(text())));
    }

    /**
     * @param models what it may contain services of: models by name, each in its versions
     * @throws ValidationFailure naming file, line and column of everything that is wrong
     */
    public ServiceModel model(Vocabulary vocabulary, Map<String, SortedMap<Integer, ServiceModel>> models) {
        ServiceModel model = told(file(folder, kind), () -> ModelReader.read(text(), vocabulary, models));
        told(file(folder, TestTable.FILE), () -> TestTable.read(folder));
        return model;
    }

    /**
     * Makes sure that a model names nothing that is not there.
     *
     * @param network whose pools and roles it may name; before one is loaded they are not looked for
     * @param models the names of the other models
     * @throws ValidationFailure naming file, line and column of everything that is wrong
     */
    public void checkNames(Network network, Set<String> models) {
        told(file(folder, kind), () -> {
            NetworkNames.check(Document.read(text()), network, Stream.concat(models.stream(), Stream.of(name)).collect(Collectors.toSet()));
            return null;
        });
    }

    /** The orders in its {@code examples/}, by file. */
    public Map<String, String> examples() {
        Map<String, String> examples = new TreeMap<>();
        TestTable.examples(folder).forEach((name, file) -> examples.put(file, folder.text(file).orElseThrow()));
        return examples;
    }

    /**
     * The dialect, each of its templates tried with sample values: before it is published, since that takes a while.
     *
     * @throws ValidationFailure naming file, line and column of everything that is wrong
     */
    public Dialect triedDialect(Vocabulary vocabulary) {
        Dialect dialect = dialect(vocabulary);
        return told(file(folder, kind), () -> {
            List<Problem> wrong = DialectTrial.of(dialect, vocabulary);
            if (!wrong.isEmpty()) {
                throw new ValidationFailure(wrong);
            }
            return dialect;
        });
    }

    /** @throws ValidationFailure naming file, line and column of everything that is wrong */
    public Dialect dialect(Vocabulary vocabulary) {
        return told(file(folder, kind), () -> {
            Dialect dialect = Dialect.read(folder);
            List<Problem> unknown = Stream.concat(unknown("clause", dialect.clauses().keySet(), vocabulary.clauses().keySet()),
                    unknown("observation", dialect.observations().keySet(), vocabulary.observations().keySet())).toList();
            if (!unknown.isEmpty()) {
                throw new ValidationFailure(unknown);
            }
            return dialect;
        });
    }

    private static Stream<Problem> unknown(String what, Set<String> names, Set<String> known) {
        return names.stream().filter(name -> !known.contains(name)).map(name ->
                new Problem("/" + what + "s/" + name, "is not " + ("clause".equals(what) ? "a " : "an ") + what + " of the vocabulary; " + KnownNames.instead(name, known)));
    }

    private String text() {
        return folder.text(kind.main()).orElseThrow();
    }

    /** What is wrong in a file is told with its name. */
    private static <T> T told(String file, Supplier<T> reading) {
        try {
            return reading.get();
        } catch (Document.Malformed e) {
            throw new ValidationFailure(file, e.getMessage());
        } catch (ValidationFailure e) {
            throw new ValidationFailure(e.problems().stream().map(problem -> new Problem(file + (problem.pointer().isEmpty() ? "" : " ") + problem.pointer(), problem.message(), problem.together())).toList());
        }
    }
}
