package rilvan.core.network;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.KnownNames;
import rilvan.core.document.PlainText;
import rilvan.core.network.Network.End;
import rilvan.core.network.Tenants.Tenant;

/** Reads tenants from a document: a list {@code tenants}, each with {@code name}, {@code contact} and {@code attachments}. */
public final class TenantDocument {

    private static final int LONGEST_NAME = 100;

    private TenantDocument() {}

    /**
     * @param network where they are attached
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static List<Tenant> read(Document document, Network network) {
        DocumentReader reader = new DocumentReader(document);
        Map<String, Tenant> tenants = new LinkedHashMap<>();
        Fields root = reader.root("tenants");
        if (root.value("tenants").isEmpty()) {
            reader.refuse("/tenants", "is missing: a list of tenants, each with its name");
        }
        for (Fields each : root.each("tenants", "name", "contact", "attachments")) {
            Tenant tenant = tenant(each.text("name"), each, reader, network);
            if (tenants.put(tenant.name(), tenant) != null) {
                reader.refuse(each.pointer() + "/name", tenant.name() + " is named twice");
            }
        }
        reader.finish();
        return List.copyOf(tenants.values());
    }

    /**
     * Reads one tenant, whose name is known.
     *
     * @throws rilvan.core.document.ValidationFailure naming every field at fault
     */
    public static Tenant read(String name, Document document, Network network) {
        DocumentReader reader = new DocumentReader(document);
        Tenant tenant = tenant(name, reader.root("contact", "attachments"), reader, network);
        reader.finish();
        return tenant;
    }

    /** What is wrong with a name for a tenant; absent where nothing is. */
    public static Optional<String> faultOfName(String name) {
        return name.isEmpty() ? Optional.of("is empty") : name.length() > LONGEST_NAME ? Optional.of("has " + name.length() + " characters; the name of a tenant has at most " + LONGEST_NAME)
                : PlainText.faultOfLine(name);
    }

    private static Tenant tenant(String name, Fields fields, DocumentReader reader, Network network) {
        faultOfName(name).ifPresent(fault -> reader.refuse(fields.pointer() + "/name", fault));
        String contact = fields.value("contact").filter(""::equals).isPresent() ? "" : fields.text("contact", "");
        PlainText.faultOfLine(contact).ifPresent(fault -> reader.refuse(fields.pointer() + "/contact", fault));
        List<End> attachments = new ArrayList<>();
        for (Fields each : fields.each("attachments", "device", "port")) {
            End end = new End(each.text("device"), each.text("port"));
            fault(end, network).ifPresentOrElse(fault -> reader.refuse(each.pointer(), fault), () -> attachments.add(end));
        }
        return new Tenant(name, contact, attachments.stream().distinct().toList(), List.of());
    }

    private static Optional<String> fault(End end, Network network) {
        Optional<Device> device = network.device(end.device());
        return device.isEmpty() ? Optional.of("there is no device named '" + end.device() + "'" + KnownNames.nearest(end.device(), network.devices().keySet()).map(near -> "; the nearest is " + near).orElse(""))
                : device.get().port(end.port()).isPresent() ? Optional.empty()
                : Optional.of(end.device() + " has no port named '" + end.port() + "'; available: " + String.join(", ", device.get().ports().stream().map(Device.Port::name).toList()));
    }
}
