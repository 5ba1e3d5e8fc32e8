package rilvan.server.inventory;

import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.function.UnaryOperator;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import rilvan.core.network.Network.End;
import rilvan.core.network.Tenants;
import rilvan.core.network.Tenants.Tenant;
import rilvan.server.preconditions.Precondition;
import rilvan.server.store.Json;
import rilvan.server.store.Orders;
import rilvan.server.store.TenantRecords;
import rilvan.server.store.TenantRecords.TenantRow;
import tools.jackson.core.type.TypeReference;

/** Whom services may be for, as the store has them. */
@Component
public class TenantBook {

    private static final int MOST_NAMED = 12;
    private static final TypeReference<List<End>> ENDS = new TypeReference<>() {};
    private static final TypeReference<List<String>> NAMES = new TypeReference<>() {};

    private final TenantRecords records;
    private final Orders orders;
    private final Json json;
    private final TransactionTemplate transactions;
    private volatile Known known = new Known(-1, Tenants.of(List.of()));

    TenantBook(TenantRecords records, Orders orders, Json json, TransactionTemplate transactions) {
        this.records = records;
        this.orders = orders;
        this.json = json;
        this.transactions = transactions;
    }

    /** All tenants, and how often any has changed until then. */
    public record Known(long version, Tenants tenants) {}

    /** A tenant as it is kept; how many services are for it. */
    public record Kept(Tenant tenant, TenantRow row) {}

    /** What is asked for is not possible while something else is so. */
    public static final class InTheWay extends RuntimeException {
        public InTheWay(String message) {
            super(message);
        }
    }

    /** A tenant that is not there. */
    public static final class Unknown extends RuntimeException {
        public Unknown(String message) {
            super(message);
        }
    }

    /** Read again only where something has changed. */
    public Known known() {
        long version = records.version();
        Known last = known;
        if (last.version() != version) {
            last = new Known(version, Tenants.of(records.all().stream().map(this::tenant).toList()));
            known = last;
        }
        return last;
    }

    public boolean isOutdated(long version) {
        return records.version() != version;
    }

    /** All tenants by name. */
    public List<Kept> all() {
        return records.all().stream().sorted(Comparator.comparing(TenantRow::name)).map(row -> new Kept(tenant(row), row)).toList();
    }

    /** @throws Unknown naming the nearest */
    public Kept tenant(String name) {
        return records.tenant(name).map(row -> new Kept(tenant(row), row))
                .orElseThrow(() -> new Unknown(known().tenants().fault(name).orElse("there is no tenant named '" + name + "'")));
    }

    private Tenant tenant(TenantRow row) {
        return new Tenant(row.name(), row.contact(), json.read(row.attachmentsJson(), ENDS), json.read(row.formerJson(), NAMES));
    }

    /** Adds tenants, or changes those that are there. */
    public void put(Collection<Tenant> tenants, String by) {
        transactions.executeWithoutResult(status -> {
            records.changed();
            tenants.forEach(tenant -> put(tenant, by));
        });
    }

    /**
     * Adds a tenant, or changes it.
     *
     * @throws Precondition.Failed where it is another one than was seen
     */
    public Kept put(Tenant tenant, Precondition seen, String by) {
        return transactions.execute(status -> {
            unmoved(tenant.name(), seen);
            put(tenant, by);
            return tenant(tenant.name());
        });
    }

    private void put(Tenant tenant, String by) {
        records.forgetFormer(tenant.name());
        records.put(tenant.name(), tenant.contact(), json.write(tenant.attachments()), by);
    }

    /** Makes others who change tenants wait, until the end of the database transaction. */
    private void unmoved(String name, Precondition seen) {
        records.changed();
        seen.check(name, records.tenant(name).map(row -> Long.toString(row.version())));
    }

    /**
     * @throws InTheWay where services are for it, or refer to it
     * @throws Precondition.Failed where it is another one than was seen
     */
    public void drop(String name, Precondition seen) {
        transactions.executeWithoutResult(status -> {
            orders.lockLine();
            tenant(name);
            unmoved(name, seen);
            List<String> concerned = records.concerned(name);
            if (!concerned.isEmpty()) {
                throw new InTheWay(String.join(", ", concerned.subList(0, Math.min(concerned.size(), MOST_NAMED))) + (concerned.size() > MOST_NAMED ? " and " + (concerned.size() - MOST_NAMED) + " more" : "")
                        + (concerned.size() == 1 ? " is for " : " are for ") + name + ", or refer to it; remove or change them first");
            }
            notUnderWay(name);
            records.passOrders(name, "");
            records.drop(name);
        });
    }

    private void notUnderWay(String name) {
        List<Long> underWay = records.underWay(name);
        if (!underWay.isEmpty()) {
            throw new InTheWay("order " + underWay.get(0) + " is under way for " + name + "; wait for its end");
        }
    }

    /** The services that are for a tenant, or that refer to it, by name. */
    public List<String> concerned(String name) {
        return records.concerned(name);
    }

    /**
     * Gives a tenant another name, wherever it is named; what services say on devices stays until an order refreshes them.
     *
     * @param parameters of a service that refers to it, by its name, with the new name in them
     * @throws InTheWay where there is a tenant of that name, or an order is under way for this one
     */
    public Kept rename(String from, String to, UnaryOperator<String> parameters) {
        return transactions.execute(status -> {
            // Orders are planned and opened in this line: none is opened with the former name from now on.
            orders.lockLine();
            records.changed();
            tenant(from);
            if (records.tenant(to).isPresent()) {
                throw new InTheWay("there is a tenant named " + to + " already");
            }
            notUnderWay(from);
            records.forgetFormer(to);
            records.referring(from).forEach(service -> records.putParameters(service, parameters.apply(service)));
            records.rename(from, to);
            records.addFormer(from, to);
            records.passOrders(from, to);
            records.moved(to);
            return tenant(to);
        });
    }
}
