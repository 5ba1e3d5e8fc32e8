package rilvan.server.installation;

import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.store.InstallationFigures;

/** Whether the host keys of all devices are trusted. */
@Component
@Order(7)
final class HostKeysPart implements InstallationPart {

    private final InstallationFigures figures;

    HostKeysPart(InstallationFigures figures) {
        this.figures = figures;
    }

    @Override
    public Part look() {
        long untrusted = figures.untrusted();
        return untrusted == 0 ? Part.well("host keys", "those of all devices are trusted")
                : Part.toBeLookedAt("host keys", untrusted + (untrusted == 1 ? " device has" : " devices have") + " none that is trusted", "rilvan device trust FILE");
    }
}
