package rilvan.server.ops;

import org.slf4j.MDC;

/** What lines of the log are about, so that they can be found by it. */
public final class LogContext {

    private LogContext() {}

    /** Logs about a device; about none where its name is empty. */
    public static void about(String device, Runnable log) {
        if (device.isEmpty()) {
            log.run();
            return;
        }
        try (MDC.MDCCloseable context = MDC.putCloseable("device", device)) {
            log.run();
        }
    }
}
