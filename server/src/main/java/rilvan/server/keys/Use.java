package rilvan.server.keys;

import java.util.Locale;

/** What a key of the store is for. */
public enum Use {
    /** Passwords for devices and what else is read here only: sealed anew at each change of the key file. */
    CREDENTIALS,
    /** Secrets of services, which stand sealed wherever the services do. */
    SERVICES,
    /** The signature of the log of acts. */
    LOG;

    String text() {
        return name().toLowerCase(Locale.ROOT);
    }
}
