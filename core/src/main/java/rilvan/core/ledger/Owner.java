package rilvan.core.ledger;

import java.util.Comparator;

/**
 * Why a node is managed.
 *
 * @param service the service that wants it
 * @param model name and version of the service's model, such as {@code l3vpn 1}
 * @param clause the kind of clause, such as {@code attachment}
 * @param origin the place in the model that the clause comes from, such as {@code expand/1}
 * @param template what says the clause in the device's own language: the dialect's folder and the template in it
 */
public record Owner(String service, String model, String clause, String origin, String template) implements Comparable<Owner> {

    private static final Comparator<Owner> ORDER = Comparator.comparing(Owner::service).thenComparing(Owner::origin).thenComparing(Owner::clause);

    @Override
    public int compareTo(Owner other) {
        return this == other ? 0 : ORDER.compare(this, other);
    }
}
