package rilvan.server.installation;

import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import rilvan.server.acts.ActLog;
import rilvan.server.store.Acts;

/** Whether acts are sealed in time. */
@Component
@Order(8)
final class LogPart implements InstallationPart {

    private final Acts acts;

    LogPart(Acts acts) {
        this.acts = acts;
    }

    @Override
    public Part look() {
        long open = acts.open(ActLog.MOST_OPEN);
        String found = open + " acts wait to be sealed";
        return open < ActLog.MOST_OPEN / 10 ? Part.well("log of acts", found) : Part.bad("log of acts", found + "; at " + ActLog.MOST_OPEN + " nothing more is done", "the log of the service says why");
    }
}
