package rilvan.server.primary;

import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.beans.factory.annotation.Value;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.stereotype.Component;
import rilvan.server.store.InstallationFigures;

/** Whether what a store on several hosts has confirmed is lost with its primary. */
@Component
public class StoreDurability {

    private static final Logger LOG = LoggerFactory.getLogger(StoreDurability.class);

    private final InstallationFigures figures;
    private final boolean severalHosts;

    StoreDurability(InstallationFigures figures, @Value("${spring.datasource.url:}") String address) {
        this.figures = figures;
        this.severalHosts = StoreHosts.of(address, "", "").isPresent();
    }

    /** What can be lost, as a sentence without a full stop; nothing where nothing can, or the store is on one host. */
    public Optional<String> risk() {
        return severalHosts && !figures.waitsForStandby() ? Optional.of("the primary does not wait for its standby at each commit: what it confirmed last, the decision of an order among it, can be lost with it") : Optional.empty();
    }

    @EventListener(ApplicationReadyEvent.class)
    void say() {
        risk().ifPresent(risk -> LOG.warn("{}. Set synchronous_standby_names, with synchronous_commit at on", risk));
    }
}
