package rilvan.core.catalog;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;
import rilvan.core.model.ModelReader;
import rilvan.core.model.ServiceModel;
import rilvan.core.model.Vocabulary;

/**
 * The models and dialects of a folder: {@code vocabulary.yaml}, {@code services/NAME/model.yaml}, {@code dialects/NAME/}.
 *
 * @param models by name
 * @param dialects by name
 */
public record Catalog(Vocabulary vocabulary, Map<String, ServiceModel> models, Map<String, Dialect> dialects) {

    public Catalog {
        models = Collections.unmodifiableMap(new LinkedHashMap<>(models));
        dialects = Collections.unmodifiableMap(new LinkedHashMap<>(dialects));
    }

    /**
     * Reads all of a folder, or nothing.
     *
     * @throws ValidationFailure naming file, line and column of everything that is wrong
     * @throws IOException where a file cannot be read
     */
    public static Catalog read(Path folder) throws IOException {
        List<Problem> problems = new ArrayList<>();
        Map<String, ServiceModel> models = new LinkedHashMap<>();
        Map<String, Dialect> dialects = new LinkedHashMap<>();
        Vocabulary vocabulary = read(folder, folder.resolve("vocabulary.yaml"), () ->
                Vocabulary.read(Document.read(Files.readString(folder.resolve("vocabulary.yaml")))));
        for (Path each : folders(folder.resolve("dialects"))) {
            gather(problems, () -> {
                Dialect dialect = read(folder, each.resolve("dialect.yaml"), () -> Dialect.read(each));
                for (String clause : dialect.clauses().keySet()) {
                    if (!vocabulary.clauses().containsKey(clause)) {
                        throw new ValidationFailure(folder.relativize(each.resolve("dialect.yaml")) + " /clauses/" + clause,
                                "is not a clause of the vocabulary; available: " + String.join(", ", vocabulary.clauses().keySet()));
                    }
                }
                if (dialects.put(dialect.name(), dialect) != null) {
                    throw new ValidationFailure(folder.relativize(each).toString(), "there is already a dialect named " + dialect.name());
                }
            });
        }
        for (Path each : folders(folder.resolve("services"))) {
            gather(problems, () -> {
                ServiceModel model = model(folder, each.resolve("model.yaml"), vocabulary);
                if (models.put(model.name(), model) != null) {
                    throw new ValidationFailure(folder.relativize(each).toString(), "there is already a model named " + model.name());
                }
            });
        }
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return new Catalog(vocabulary, models, dialects);
    }

    /**
     * Reads one model.
     *
     * @param folder what file names are told relative to
     * @throws ValidationFailure naming file, line and column of everything that is wrong
     */
    public static ServiceModel model(Path folder, Path file, Vocabulary vocabulary) throws IOException {
        return read(folder, file, () -> ModelReader.read(Files.readString(file), vocabulary));
    }

    private interface Loader<T> {
        T read() throws IOException;
    }

    private interface Reader {
        void run() throws IOException;
    }

    /** Reads a file; what is wrong in it is told with its name. */
    private static <T> T read(Path folder, Path file, Loader<T> reading) throws IOException {
        String name = folder.relativize(file).toString();
        if (!Files.isRegularFile(file)) {
            throw new ValidationFailure(name, "is missing");
        }
        try {
            return reading.read();
        } catch (Document.Malformed e) {
            throw new ValidationFailure(name, e.getMessage());
        } catch (ValidationFailure e) {
            throw new ValidationFailure(e.problems().stream().map(problem -> new Problem(name + (problem.pointer().isEmpty() ? "" : " ")
                    + problem.pointer(), problem.message())).toList());
        }
    }

    private static void gather(List<Problem> problems, Reader step) throws IOException {
        try {
            step.run();
        } catch (ValidationFailure e) {
            problems.addAll(e.problems());
        }
    }

    private static List<Path> folders(Path parent) throws IOException {
        if (!Files.isDirectory(parent)) {
            return List.of();
        }
        try (Stream<Path> children = Files.list(parent)) {
            return children.filter(Files::isDirectory).sorted().toList();
        }
    }
}
