package rilvan.core.document;

import java.io.IOException;
import java.nio.charset.CharacterCodingException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Collections;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.stream.Stream;

/**
 * The texts of a folder.
 *
 * @param name of the folder itself, for people
 * @param texts by the file's path in the folder, with {@code /} between its parts
 */
public record Folder(String name, SortedMap<String, String> texts) {

    /** Files that a folder may have. */
    public static final int MOST_FILES = 2_000;

    /** Characters that they may have together. */
    public static final int MOST_CHARACTERS = 8_000_000;

    /** A page of documentation, made from the other files and from whatever families there are: it says nothing of its own. */
    public static final String PAGE = "README.md";

    /**
     * @throws ValidationFailure where there is too much, or a file has a path that leads out of the folder
     */
    public Folder {
        if (texts.size() > MOST_FILES) {
            throw new ValidationFailure("", name + " has more than " + MOST_FILES + " files");
        }
        if (texts.values().stream().mapToLong(String::length).sum() > MOST_CHARACTERS) {
            throw new ValidationFailure("", name + " has more than " + MOST_CHARACTERS + " characters");
        }
        for (String file : texts.keySet()) {
            if (!file.matches("[\\w.@+-]+(/[\\w.@+-]+)*") || Stream.of(file.split("/")).anyMatch(part -> part.matches("\\.+"))) {
                throw new ValidationFailure("", "'" + file + "' is not a path of a file in " + name + "; use letters, digits and _ . @ + -, with / between");
            }
        }
        texts = Collections.unmodifiableSortedMap(new TreeMap<>(texts));
    }

    public static Folder of(String name, Map<String, String> texts) {
        return new Folder(name, new TreeMap<>(texts));
    }

    /**
     * All files below a folder; hidden ones are left out.
     *
     * @throws ValidationFailure where one is no text in UTF-8, or there is too much
     */
    public static Folder read(Path folder) throws IOException {
        SortedMap<String, String> texts = new TreeMap<>();
        Path real = folder.toRealPath();
        try (Stream<Path> files = Files.walk(real)) {
            for (Path file : (Iterable<Path>) files.filter(Files::isRegularFile)::iterator) {
                Path within = real.relativize(file);
                if (within.toString().startsWith(".") || within.toString().contains("/.")) {
                    continue;
                }
                if (texts.size() == MOST_FILES || Files.size(file) > MOST_CHARACTERS) {
                    throw new ValidationFailure("", folder.getFileName() + " is too large: at most " + MOST_FILES + " files and " + MOST_CHARACTERS + " characters");
                }
                try {
                    texts.put(within.toString(), Files.readString(file));
                } catch (CharacterCodingException e) {
                    throw new ValidationFailure(within.toString(), "is no text in UTF-8");
                }
            }
        }
        return new Folder(folder.getFileName().toString(), texts);
    }

    public Optional<String> text(String file) {
        return Optional.ofNullable(texts.get(file));
    }

    /** The same texts, the page of documentation left out, have the same digest, whatever the folder is called: 64 hexadecimal digits. */
    public String digest() {
        StringBuilder all = new StringBuilder();
        texts.entrySet().stream().filter(each -> !each.getKey().equals(PAGE)).forEach(each -> all.append(each.getKey()).append('\0').append(each.getValue().length()).append('\0').append(each.getValue()));
        return Digest.of(all.toString());
    }
}
