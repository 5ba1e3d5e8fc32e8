package rilvan.core.pool;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import rilvan.core.address.Prefix;
import rilvan.core.address.Tags;

/**
 * Numbers to take from, or prefixes of one length cut from a larger one.
 *
 * @param from lowest number
 * @param to highest number, inclusive
 * @param reserved numbers in between that nobody gets
 * @param form how a number is written for use
 */
public record Pool(String name, long from, long to, List<Span> reserved, Form form) {

    public Pool {
        reserved = List.copyOf(reserved);
    }

    /** Numbers from low to high, both included. */
    public record Span(long low, long high) {
        boolean holds(long number) {
            return low <= number && number <= high;
        }
    }

    /** How a number is written. */
    public sealed interface Form {
        String write(long number);

        /** The number that is written so; absent where the text has another form. */
        Optional<Long> read(String text);
    }

    /**
     * Text around the number: {@code {}} where it goes in decimal, {@code {hex:4}} for a number of bytes in hexadecimal, parted
     * by colons.
     */
    public record Text(String pattern) implements Form {
        private static final Pattern GAP = Pattern.compile("\\{}|\\{hex:([1-8])}");

        @Override
        public String write(long number) {
            Matcher gap = GAP.matcher(pattern);
            return gap.replaceFirst(match -> match.group(1) == null ? Long.toString(number) : hex(number, Integer.parseInt(match.group(1))));
        }

        private static String hex(long number, int bytes) {
            StringBuilder text = new StringBuilder();
            for (int i = bytes - 1; i >= 0; i--) {
                text.append(text.isEmpty() ? "" : ":").append(String.format("%02x", number >> 8 * i & 255));
            }
            return text.toString();
        }

        @Override
        public Optional<Long> read(String text) {
            Matcher gap = GAP.matcher(pattern);
            if (!gap.find() || !text.startsWith(pattern.substring(0, gap.start())) || !text.endsWith(pattern.substring(gap.end()))
                    || text.length() < pattern.length() - (gap.end() - gap.start())) {
                return Optional.empty();
            }
            String digits = text.substring(gap.start(), text.length() - (pattern.length() - gap.end()));
            try {
                long number = gap.group(1) == null ? Long.parseLong(digits) : Long.parseLong(digits.replace(":", ""), 16);
                return write(number).equals(text) ? Optional.of(number) : Optional.empty();
            } catch (NumberFormatException e) {
                return Optional.empty();
            }
        }
    }

    /**
     * Tags of a port, see {@link Tags}: single and double ones, untagged and any.
     *
     * @param low lowest outer tag
     * @param high highest outer tag
     */
    public record OfPort(long low, long high) implements Form {
        @Override
        public String write(long number) {
            return Tags.write(number);
        }

        @Override
        public Optional<Long> read(String text) {
            try {
                List<Long> numbers = Tags.parse(text).numbers();
                return numbers.size() == 1 ? Optional.of(numbers.get(0)) : Optional.empty();
            } catch (IllegalArgumentException e) {
                return Optional.empty();
            }
        }
    }

    /**
     * Prefixes of one length, counted from the start of the one they are cut from.
     *
     * @param length bits of each prefix
     */
    public record Cut(Prefix whole, int length) implements Form {
        @Override
        public String write(long number) {
            BigInteger offset = BigInteger.valueOf(number).shiftLeft(whole.width() - length);
            return new Prefix(whole.bits().add(offset), length, whole.width()).toString();
        }

        @Override
        public Optional<Long> read(String text) {
            try {
                Prefix prefix = Prefix.parse(text);
                if (!whole.contains(prefix) || prefix.length() != length || !prefix.isNetwork()) {
                    return Optional.empty();
                }
                return Optional.of(prefix.bits().subtract(whole.bits()).shiftRight(whole.width() - length).longValueExact());
            } catch (IllegalArgumentException | ArithmeticException e) {
                return Optional.empty();
            }
        }
    }

    /** Prefixes of a length out of a larger one; at most 2^40 of them are counted. */
    public static Pool of(String name, Prefix whole, int length) {
        long last = (1L << Math.min(length - whole.length(), 40)) - 1;
        return new Pool(name, 0, last, List.of(), new Cut(whole, length));
    }

    /**
     * The tags of a port.
     *
     * @param reserved outer tags in between that nobody gets
     */
    public static Pool ofPort(String name, long low, long high, List<Span> reserved) {
        List<Span> spans = new ArrayList<>(List.of(new Span(1, (low << 12) - 1), new Span((high + 1) << 12, Tags.ANY - 1)));
        reserved.forEach(span -> spans.add(new Span(span.low() << 12, (span.high() << 12) + 4095)));
        return new Pool(name, 0, Tags.ANY, spans, new OfPort(low, high));
    }

    /** The first number to be given to whoever chooses none. */
    public long first() {
        return form instanceof OfPort tags ? tags.low() << 12 : from;
    }

    /** How far it is from one number to the next that is given so. */
    public long stride() {
        return form instanceof OfPort ? 4096 : 1;
    }

    /** How many there are to give. */
    public long size() {
        return to - from + 1 - reserved.stream().mapToLong(span -> span.high() - span.low() + 1).sum();
    }

    public boolean isReserved(long number) {
        return reserved.stream().anyMatch(span -> span.holds(number));
    }

    public boolean has(long number) {
        return from <= number && number <= to && !isReserved(number);
    }

    public String write(long number) {
        return form.write(number);
    }

    /** What the pool has to give, in words. */
    public String extent() {
        return form instanceof OfPort tags ? tags.low() + " to " + tags.high() + ", untagged and any"
                : form instanceof Cut cut ? "prefixes of length " + cut.length() + " in " + cut.whole()
                : write(from) + " to " + write(to) + (reserved.isEmpty() ? "" : " except " + String.join(", ",
                        reserved.stream().map(span -> span.low() == span.high() ? write(span.low()) : write(span.low()) + " to "
                                + write(span.high())).toList()));
    }
}
