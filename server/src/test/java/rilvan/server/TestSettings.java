package rilvan.server;

import java.nio.file.Path;
import java.time.Duration;
import java.util.List;

/** Settings for tests: the defaults but for what a test is about. */
public final class TestSettings {

    private TestSettings() {}

    public static Settings of(Path keyFile) {
        return of(keyFile, Duration.ofSeconds(10), Duration.ofSeconds(1), Duration.ofMinutes(15));
    }

    public static Settings of(Duration checkTimeout, Duration settleTime, Duration healthInterval) {
        return of(Path.of("rilvan.key"), checkTimeout, settleTime, healthInterval);
    }

    public static Settings with(Path models) {
        return of(models, Path.of("rilvan.key"), Duration.ofSeconds(10), Duration.ofSeconds(1), Duration.ofMinutes(15));
    }

    private static Settings of(Path keyFile, Duration checkTimeout, Duration settleTime, Duration healthInterval) {
        return of(Path.of("models"), keyFile, checkTimeout, settleTime, healthInterval);
    }

    public static Settings of(Path keyFile, Settings.LogHeads heads) {
        return of(Path.of("models"), keyFile, Duration.ofSeconds(10), Duration.ofSeconds(1), Duration.ofMinutes(15), heads);
    }

    private static Settings of(Path models, Path keyFile, Duration checkTimeout, Duration settleTime, Duration healthInterval) {
        return of(models, keyFile, checkTimeout, settleTime, healthInterval, new Settings.LogHeads(Duration.ofMinutes(1), null, null, null));
    }

    private static Settings of(Path models, Path keyFile, Duration checkTimeout, Duration settleTime, Duration healthInterval, Settings.LogHeads heads) {
        return new Settings(models, keyFile, null, null, checkTimeout, settleTime, healthInterval, false, Duration.ofHours(1), Duration.ofSeconds(5), Duration.ofMillis(500),
                Duration.ofMinutes(2), Duration.ofSeconds(10), Duration.ofMinutes(2), 6, 2, 1_000, Duration.ofSeconds(2), 500, Duration.ofDays(1095), Duration.ofDays(1095), Duration.ofDays(30), heads,
                new Settings.Webhooks(true, Duration.ofDays(1)), new Settings.OpenId(null, "", "", "", "preferred_username", "groups", List.of()), true);
    }
}
