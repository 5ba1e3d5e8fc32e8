package rilvan.cli;

import com.grack.nanojson.JsonArray;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;

/** Small pieces of text: lists and addresses. */
final class Texts {

    private Texts() {}

    static String join(JsonArray items) {
        return String.join(", ", items.stream().map(Object::toString).toList());
    }

    /** A name as a part of an address. */
    static String escape(String name) {
        return URLEncoder.encode(name, StandardCharsets.UTF_8).replace("+", "%20");
    }

    /** A time without fractions, zone and the T. */
    static String time(String iso) {
        return iso == null ? "" : iso.substring(0, 19).replace('T', ' ');
    }
}
