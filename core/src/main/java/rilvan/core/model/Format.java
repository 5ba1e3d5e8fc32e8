package rilvan.core.model;

import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import rilvan.core.address.Prefix;
import rilvan.core.address.Tags;
import rilvan.core.document.PlainText;
import rilvan.core.document.Secret;

/** The formats that a parameter may have besides what JSON Schema says, each with its canonical form. */
enum Format {

    /** A name: small letters, digits, hyphens. */
    LABEL("string") {
        @Override
        void check(String text) {
            if (!PlainText.isName(text)) {
                throw new IllegalArgumentException("'" + text + "' is no name; use small letters, digits and hyphens, 63 at most");
            }
        }
    },

    /** Text of one line. */
    LINE("string") {
        @Override
        void check(String text) {
            sound(PlainText.faultOfLine(text));
        }
    },

    /** Configuration in a device's own language; several lines. */
    NATIVE("string") {
        @Override
        void check(String text) {
            sound(PlainText.faultOfText(text));
        }
    },

    /** A VLAN tag (IEEE 802.1Q). */
    VLAN_ID("integer") {
        @Override
        Optional<String> fault(Object value) {
            long tag = (Long) value;
            return tag >= 1 && tag <= 4094 ? Optional.empty() : Optional.of(tag + " is not a VLAN tag; a tag is from 1 to 4094 (IEEE 802.1Q)");
        }
    },

    /** Which frames of a port: one tag or two, several, {@code untagged} or {@code any}; see {@link Tags}. */
    TAGS("string") {
        @Override
        void check(String text) {
            Tags.parse(text);
        }

        @Override
        Object lenient(Object value) {
            return value instanceof Long number ? number.toString() : value;
        }
    },

    /** An AS number (RFC 6793). */
    AS_NUMBER("integer") {
        @Override
        Optional<String> fault(Object value) {
            long number = (Long) value;
            return number >= 1 && number <= 4_294_967_294L && number != 23_456 ? Optional.empty()
                    : Optional.of(number + " is not an AS number; they go from 1 to 4294967294, without 23456 (RFC 6793)");
        }
    },

    /** A route target: AS number and assigned number (RFC 4360 §4). */
    ROUTE_TARGET("string") {
        @Override
        void check(String text) {
            fits(text, TARGET, "is not a route target; write it as 64500:1001");
        }
    },

    /** A prefix: its host bits are zero. */
    IP_PREFIX("string") {
        @Override
        void check(String text) {
            Prefix prefix = Prefix.parse(text);
            if (!prefix.isNetwork()) {
                throw new IllegalArgumentException("'" + text + "' has host bits; the prefix is " + prefix.network());
            }
        }

        @Override
        Object canonical(Object value) {
            return address(value, true);
        }
    },

    /** An address without a length. */
    IP_ADDRESS("string") {
        @Override
        void check(String text) {
            if (text.contains("/")) {
                throw new IllegalArgumentException("'" + text + "' must be an address without a length");
            }
            Prefix.parse(text);
        }

        @Override
        Object canonical(Object value) {
            return address(value, false);
        }
    },

    /** An address with the length of its network. */
    IP_INTERFACE("string") {
        @Override
        void check(String text) {
            if (!text.contains("/")) {
                throw new IllegalArgumentException("'" + text + "' needs its network's length, such as " + text + "/31");
            }
            Prefix.parse(text);
        }

        @Override
        Object canonical(Object value) {
            return address(value, true);
        }
    },

    /** A MAC address of one station, six bytes in hexadecimal. */
    MAC_ADDRESS("string") {
        @Override
        void check(String text) {
            fits(text, MAC, "is no MAC address; write it as 02:00:5e:10:00:01");
            if ((Integer.parseInt(text.substring(0, 2), 16) & 1) != 0) {
                throw new IllegalArgumentException(text + " is a group address; a station's has an even first byte");
            }
        }

        @Override
        Object canonical(Object value) {
            return value instanceof String text ? text.toLowerCase(Locale.ROOT) : value;
        }
    },

    /** A secret: it is kept sealed, and one that is not sealed here could not be. */
    SECRET("string") {
        @Override
        void check(String text) {
            Secret.fault(text).filter(fault -> !Secret.isSealed(text)).ifPresent(fault -> {
                throw new IllegalArgumentException(fault);
            });
        }
    };

    private static final Pattern TARGET = Pattern.compile("\\d{1,5}:\\d{1,10}");
    private static final Pattern MAC = Pattern.compile("[0-9a-f]{2}(:[0-9a-f]{2}){5}");

    private final String type;

    Format(String type) {
        this.type = type;
    }

    private static final Map<String, Format> BY_NAME = Arrays.stream(values()).collect(Collectors.toMap(Format::written, format -> format));

    static Optional<Format> named(String name) {
        return Optional.ofNullable(BY_NAME.get(name));
    }

    static List<String> names() {
        return Arrays.stream(values()).map(Format::written).sorted().toList();
    }

    private String written() {
        return name().toLowerCase(Locale.ROOT).replace('_', '-');
    }

    /** The JSON Schema type of such a value. */
    String type() {
        return type;
    }

    /** Whether a value is of the type that has this format. */
    boolean takes(Object value) {
        return type.equals("integer") ? value instanceof Long : value instanceof String;
    }

    /** What is wrong with a value, and what would do; absent where nothing is. */
    Optional<String> fault(Object value) {
        try {
            check((String) value);
            return Optional.empty();
        } catch (IllegalArgumentException e) {
            return Optional.of(e.getMessage());
        }
    }

    /** The one form in which equal values are equal; a value that is wrong stays as it is. */
    Object canonical(Object value) {
        return value;
    }

    /** A value as people write it too, in the type it is kept in. */
    Object lenient(Object value) {
        return value;
    }

    void check(String text) {
        // any text
    }

    private static void sound(Optional<String> fault) {
        fault.ifPresent(why -> {
            throw new IllegalArgumentException(why);
        });
    }

    private static void fits(String text, Pattern pattern, String otherwise) {
        if (!pattern.matcher(text).matches()) {
            throw new IllegalArgumentException("'" + text + "' " + otherwise);
        }
    }

    private static Object address(Object value, boolean length) {
        if (value.equals("")) {
            return value;
        }
        try {
            Prefix prefix = Prefix.parse((String) value);
            return ((String) value).contains("/") != length ? value : length ? prefix.toString() : prefix.address();
        } catch (IllegalArgumentException e) {
            return value;
        }
    }
}
