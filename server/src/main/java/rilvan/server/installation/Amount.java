package rilvan.server.installation;

import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.Locale;

/** Sizes, moments and times as people read them. */
final class Amount {

    private static final String[] UNITS = {"bytes", "KiB", "MiB", "GiB", "TiB"};

    private static final DateTimeFormatter MOMENT = DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss 'UTC'", Locale.ROOT);

    private Amount() {}

    static String size(long bytes) {
        double amount = bytes;
        int unit = 0;
        while (amount >= 1024 && unit < UNITS.length - 1) {
            amount /= 1024;
            unit++;
        }
        return (amount < 10 && unit > 0 ? String.format(Locale.ROOT, "%.1f", amount) : Long.toString(Math.round(amount))) + " " + UNITS[unit];
    }

    static String moment(OffsetDateTime at) {
        return MOMENT.format(at.withOffsetSameInstant(ZoneOffset.UTC));
    }

    static String time(long seconds) {
        return seconds < 120 ? seconds + " s" : seconds < 7_200 ? seconds / 60 + " min" : seconds < 172_800 ? seconds / 3_600 + " h" : seconds / 86_400 + " days";
    }
}
