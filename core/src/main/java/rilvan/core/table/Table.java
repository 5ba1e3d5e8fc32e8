package rilvan.core.table;

import java.io.IOException;
import java.io.StringReader;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.CodingErrorAction;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Stream;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVParser;
import org.apache.commons.csv.CSVRecord;
import rilvan.core.document.ValidationFailure;
import rilvan.core.document.ValidationFailure.Problem;

/**
 * A table: columns by their headings, in order, and rows with a cell for each.
 *
 * @param headings each another one
 */
public record Table(List<String> headings, List<Row> rows) {

    private static final String BYTE_ORDER_MARK = "\ufeff";
    private static final List<Character> SEPARATORS = List.of(',', ';', '\t');

    /**
     * A row.
     *
     * @param line the line of the text that it begins on, from 1
     */
    public record Row(long line, List<String> cells) {}

    /**
     * Reads comma-separated values (RFC 4180) in UTF-8, with a heading line. A byte order mark is passed over; separators may be commas, semicolons or tabs. Rows without any text are
     * left out.
     *
     * @throws ValidationFailure naming each line at fault
     */
    public static Table read(byte[] bytes) {
        String text = decoded(bytes);
        CSVFormat format = CSVFormat.RFC4180.builder().setDelimiter(separator(text)).setIgnoreSurroundingSpaces(true).setIgnoreEmptyLines(false).get();
        List<Row> rows = new ArrayList<>();
        long line = 1;
        try (CSVParser parser = format.parse(new StringReader(text))) {
            for (CSVRecord read : parser) {
                rows.add(new Row(line, read.toList().stream().map(String::strip).toList()));
                line = parser.getCurrentLineNumber() + 1;
            }
        } catch (IOException | java.io.UncheckedIOException e) {
            throw new ValidationFailure("", "line " + line + ": a quotation mark is not closed, or something follows it: " + e.getMessage());
        }
        if (rows.isEmpty()) {
            throw new ValidationFailure("", "the table is empty; its first line has the headings");
        }
        return of(rows.get(0).cells(), rows.subList(1, rows.size()).stream().filter(row -> row.cells().stream().anyMatch(cell -> !cell.isEmpty())).toList());
    }

    private static Table of(List<String> headings, List<Row> rows) {
        List<Problem> problems = new ArrayList<>();
        Set<String> seen = new HashSet<>();
        for (int i = 0; i < headings.size(); i++) {
            if (headings.get(i).isEmpty()) {
                problems.add(new Problem("", "line 1: column " + (i + 1) + " has no heading"));
            } else if (!seen.add(headings.get(i))) {
                problems.add(new Problem("", "line 1: two columns have the heading '" + headings.get(i) + "'"));
            }
        }
        rows.stream().filter(row -> row.cells().size() > headings.size()).forEach(row ->
                problems.add(new Problem("", "line " + row.line() + ": " + row.cells().size() + " cells, but " + headings.size() + " headings")));
        if (!problems.isEmpty()) {
            throw new ValidationFailure(problems);
        }
        return new Table(List.copyOf(headings), rows.stream().map(row -> new Row(row.line(), Stream.concat(row.cells().stream(), Stream.generate(() -> "")).limit(headings.size()).toList())).toList());
    }

    private static String decoded(byte[] bytes) {
        ByteBuffer buffer = ByteBuffer.wrap(bytes);
        try {
            String text = StandardCharsets.UTF_8.newDecoder().onMalformedInput(CodingErrorAction.REPORT).onUnmappableCharacter(CodingErrorAction.REPORT).decode(buffer).toString();
            return text.startsWith(BYTE_ORDER_MARK) ? text.substring(1) : text;
        } catch (CharacterCodingException e) {
            long line = 1 + new String(bytes, 0, buffer.position(), StandardCharsets.ISO_8859_1).chars().filter(each -> each == '\n').count();
            throw new ValidationFailure("", "line " + line + " has a byte that is not UTF-8; save the table as UTF-8, which spreadsheets offer when they save as CSV");
        }
    }

    /** That which stands most often in the first line. */
    private static char separator(String text) {
        String first = text.lines().findFirst().orElse("");
        return SEPARATORS.stream().max(Comparator.comparingLong(each -> first.chars().filter(letter -> letter == each).count())).filter(each -> first.indexOf(each) >= 0).orElse(',');
    }
}
