package rilvan.server.api;

import java.util.List;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RestController;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.installation.InstallationReport;
import rilvan.server.installation.Part;

/** Whether the installation itself is well. */
@RestController
public class InstallationController {

    private final InstallationReport report;

    InstallationController(InstallationReport report) {
        this.report = report;
    }

    /** Each part of the installation, how it does now, and what to do where it is not well. */
    @GetMapping("/api/v1/installation")
    @Requires(Role.ADMINISTER)
    List<Part> installation() {
        return report.parts();
    }
}
