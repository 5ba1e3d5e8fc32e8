package rilvan.core.expression;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.address.Prefix;

/** Overlapping prefixes among many, found in one sweep: prefixes are nested or apart, never crossed. */
final class Clashes {

    private record Owned(String text, String owner, Prefix prefix, int place) {
        BigInteger last() {
            return prefix.bits().add(BigInteger.ONE.shiftLeft(prefix.width() - prefix.length())).subtract(BigInteger.ONE);
        }
    }

    private Clashes() {}

    static Map<String, String> among(List<String> texts) {
        List<Owned> sorted = new ArrayList<>();
        for (String text : texts) {
            int blank = text.lastIndexOf(' ');
            sorted.add(new Owned(text, text.substring(0, blank), Prefix.parse(text.substring(blank + 1)).network(), sorted.size()));
        }
        sorted.sort(Comparator.comparing((Owned owned) -> owned.prefix().width()).thenComparing(owned -> owned.prefix().bits())
                .thenComparing(owned -> owned.prefix().length()));
        Map<String, String> clashes = new LinkedHashMap<>();
        List<Owned> around = new ArrayList<>();
        for (Owned owned : sorted) {
            around.removeIf(outer -> outer.prefix().width() != owned.prefix().width() || outer.last().compareTo(owned.prefix().bits()) < 0);
            for (Owned outer : around) {
                if (!outer.owner().equals(owned.owner())) {
                    Owned later = outer.place() > owned.place() ? outer : owned;
                    clashes.putIfAbsent(later.text(), later == outer ? owned.text() : outer.text());
                }
            }
            around.add(owned);
        }
        return clashes;
    }
}
