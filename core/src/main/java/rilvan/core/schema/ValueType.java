package rilvan.core.schema;

import java.math.BigInteger;
import java.util.List;
import java.util.regex.Pattern;
import rilvan.core.address.Prefix;
import rilvan.core.document.Secret;

/** What a value may be and how it is written canonically (RFC 7950 §9), so that equal values are equal text. */
public sealed interface ValueType {

    /**
     * The canonical form of a value.
     *
     * @throws InvalidValue where the value is not of this type, saying what would be
     */
    String canonical(String text);

    /** A value that its type does not allow; the message says what would do. */
    final class InvalidValue extends RuntimeException {
        public InvalidValue(String message) {
            super(message);
        }
    }

    /** An inclusive range of numbers or lengths. */
    record Range(BigInteger low, BigInteger high) {
        boolean holds(BigInteger number) {
            return low.compareTo(number) <= 0 && number.compareTo(high) <= 0;
        }

        @Override
        public String toString() {
            return low.equals(high) ? low.toString() : low + ".." + high;
        }

        static String join(List<Range> ranges) {
            return String.join("|", ranges.stream().map(Range::toString).toList());
        }
    }

    /** An integer of any width; its ranges bound it. */
    record Whole(List<Range> ranges) implements ValueType {
        @Override
        public String canonical(String text) {
            BigInteger number;
            try {
                number = new BigInteger(text.strip());
            } catch (NumberFormatException e) {
                throw new InvalidValue("'" + text + "' is not a whole number; it must be in " + Range.join(ranges));
            }
            if (ranges.stream().noneMatch(range -> range.holds(number))) {
                throw new InvalidValue(number + " is not in " + Range.join(ranges));
            }
            return number.toString();
        }
    }

    /** Text, bounded in length (in characters) and by regular expressions that must all match the whole of it. */
    record Text(List<Range> lengths, List<Pattern> patterns) implements ValueType {
        @Override
        public String canonical(String text) {
            if (Secret.isSealed(text)) {
                // Its length and form are not those of the secret, which is opened only on the way to the device.
                return text;
            }
            BigInteger length = BigInteger.valueOf(text.codePointCount(0, text.length()));
            if (!lengths.isEmpty() && lengths.stream().noneMatch(range -> range.holds(length))) {
                throw new InvalidValue("'" + text + "' is " + length + " characters long; allowed are " + Range.join(lengths));
            }
            for (Pattern pattern : patterns) {
                if (!pattern.matcher(text).matches()) {
                    throw new InvalidValue("'" + text + "' does not have the form " + pattern.pattern());
                }
            }
            return text;
        }
    }

    /** One of a list of names. */
    record OneOf(List<String> names) implements ValueType {
        @Override
        public String canonical(String text) {
            String name = text.strip();
            if (!names.contains(name)) {
                throw new InvalidValue("'" + name + "' is none of " + String.join(", ", names));
            }
            return name;
        }
    }

    /** Nothing but its being there (RFC 7950 §9.11). */
    record Nothing() implements ValueType {
        @Override
        public String canonical(String text) {
            if (!text.isBlank()) {
                throw new InvalidValue("takes no value, but has '" + text + "'");
            }
            return "";
        }
    }

    /** A decimal number with a bounded number of digits after the point (RFC 7950 §9.3). */
    record Decimal(int digits) implements ValueType {
        @Override
        public String canonical(String text) {
            java.math.BigDecimal number;
            try {
                number = new java.math.BigDecimal(text.strip()).stripTrailingZeros();
            } catch (NumberFormatException e) {
                throw new InvalidValue("'" + text + "' is not a decimal number");
            }
            if (number.scale() > digits) {
                throw new InvalidValue(text.strip() + " has more than " + digits + " digits after the point");
            }
            return number.setScale(Math.max(1, number.scale())).toPlainString();
        }
    }

    /** A set of names, written in the order of their definition (RFC 7950 §9.7). */
    record Bits(List<String> names) implements ValueType {
        @Override
        public String canonical(String text) {
            List<String> given = text.isBlank() ? List.of() : List.of(text.strip().split("\\s+"));
            for (String name : given) {
                if (!names.contains(name)) {
                    throw new InvalidValue("'" + name + "' is none of " + String.join(", ", names));
                }
            }
            return String.join(" ", names.stream().filter(given::contains).toList());
        }
    }

    /** One of a list of identities of the leaf's own module, written without a prefix (RFC 7950 §9.10.3). */
    record Identity(List<String> names) implements ValueType {
        @Override
        public String canonical(String text) {
            String name = text.strip().substring(text.strip().indexOf(':') + 1);
            return new OneOf(names).canonical(name);
        }
    }

    /** Bytes in base64 (RFC 7950 §9.8). */
    record Binary() implements ValueType {
        @Override
        public String canonical(String text) {
            try {
                java.util.Base64.Encoder encoder = java.util.Base64.getEncoder();
                return encoder.encodeToString(java.util.Base64.getMimeDecoder().decode(text));
            } catch (IllegalArgumentException e) {
                throw new InvalidValue("no base64: " + e.getMessage());
            }
        }
    }

    /** An IPv4 or IPv6 address, a prefix, or an interface's address with its network's length; RFC 5952 says how IPv6 is written. */
    record Address(Form form) implements ValueType {
        /** What is expected. */
        public enum Form {
            ADDRESS, PREFIX, INTERFACE
        }

        @Override
        public String canonical(String text) {
            Prefix prefix;
            try {
                prefix = Prefix.parse(text.strip());
            } catch (IllegalArgumentException e) {
                throw new InvalidValue(e.getMessage());
            }
            if (text.contains("/") != (form != Form.ADDRESS)) {
                throw new InvalidValue("'" + text + (form == Form.ADDRESS ? "' must be an address without a length" : "' needs a length"));
            }
            if (form == Form.PREFIX && !prefix.isNetwork()) {
                throw new InvalidValue("'" + text + "' has host bits; the prefix is " + prefix.network());
            }
            return form == Form.ADDRESS ? prefix.address() : prefix.toString();
        }
    }

    /** The first of several types that takes the value (RFC 7950 §9.12). */
    record Either(List<ValueType> members) implements ValueType {
        @Override
        public String canonical(String text) {
            StringBuilder reasons = new StringBuilder();
            for (ValueType member : members) {
                try {
                    return member.canonical(text);
                } catch (InvalidValue e) {
                    reasons.append(reasons.isEmpty() ? "" : "; ").append(e.getMessage());
                }
            }
            throw new InvalidValue(reasons.toString());
        }
    }
}
