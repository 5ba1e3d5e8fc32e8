package rilvan.server.installation;

import java.util.List;
import org.springframework.stereotype.Component;

/** Whether the installation itself is well: its instances, its store, what it does by itself, what ends soon. Told in parts, each with what to do where it is not. */
@Component
public class InstallationReport {

    private final List<InstallationPart> parts;

    InstallationReport(List<InstallationPart> parts) {
        this.parts = parts;
    }

    /** Every part, and how it does now. */
    public List<Part> parts() {
        return parts.stream().map(InstallationPart::look).toList();
    }
}
