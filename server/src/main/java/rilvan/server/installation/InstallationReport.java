package rilvan.server.installation;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import java.io.IOException;
import java.nio.file.FileStore;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.KeyStoreException;
import java.security.cert.X509Certificate;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.stream.Collectors;
import org.flywaydb.core.Flyway;
import org.springframework.beans.factory.annotation.Value;
import org.springframework.boot.ssl.SslBundles;
import org.springframework.stereotype.Component;
import rilvan.server.Settings;
import rilvan.server.acts.ActLog;
import rilvan.server.cluster.ClusterMember;
import rilvan.server.keys.KeyChange;
import rilvan.server.keys.KeyChange.OpeningKey;
import rilvan.server.library.Library;
import rilvan.server.primary.StoreDurability;
import rilvan.server.store.Acts;
import rilvan.server.store.InstallationFigures;
import rilvan.server.store.InstallationFigures.InstanceRow;
import rilvan.server.store.Orders;
import rilvan.server.store.WebhookRecords;
import rilvan.server.store.WebhookRecords.WebhookRow;

/** Whether the installation itself is well: its instances, its store, what it does by itself, what ends soon. Told in parts, each with what to do where it is not. */
@Component
public class InstallationReport {

    private static final Duration LONG_UNDER_WAY = Duration.ofMinutes(10);
    private static final Duration CERTIFICATE_SOON = Duration.ofDays(14);
    private static final int LARGEST_TABLES = 3;
    private static final double LITTLE_ROOM = 0.1;
    /** How much later than its interval something may be done before it counts as behind. */
    private static final int BEHIND_TIMES = 3;

    private final InstallationFigures figures;
    private final Orders orders;
    private final Acts acts;
    private final WebhookRecords webhooks;
    private final ClusterMember member;
    private final KeyChange keys;
    private final StoreDurability durability;
    private final Library library;
    private final Flyway flyway;
    private final SslBundles certificates;
    private final String bundle;
    private final Settings settings;

    InstallationReport(InstallationFigures figures, Orders orders, Acts acts, WebhookRecords webhooks, ClusterMember member, KeyChange keys, StoreDurability durability, Library library, Flyway flyway, SslBundles certificates,
            @Value("${server.ssl.bundle:}") String bundle, Settings settings, MeterRegistry registry) {
        this.figures = figures;
        this.orders = orders;
        this.acts = acts;
        this.webhooks = webhooks;
        this.member = member;
        this.keys = keys;
        this.durability = durability;
        this.library = library;
        this.flyway = flyway;
        this.certificates = certificates;
        this.bundle = bundle;
        this.settings = settings;
        Gauge.builder("rilvan.store", figures, InstallationFigures::bytes).baseUnit("bytes").description("Size of the store").register(registry);
        Gauge.builder("rilvan.orders.oldest", () -> figures.oldestOrder().map(InstallationFigures.OldestOrder::seconds).orElse(0L)).baseUnit("seconds")
                .description("Since the oldest order that is under way was placed").register(registry);
        Gauge.builder("rilvan.checks.behind", () -> figures.longestUnchecked().orElse(0L)).baseUnit("seconds").description("Since the service was checked that was checked longest ago").register(registry);
        Gauge.builder("rilvan.readings.behind", () -> figures.longestUnread().orElse(0L)).baseUnit("seconds").description("Since the device was read that was read longest ago").register(registry);
        Gauge.builder("rilvan.lease.lapses", member, ClusterMember::lapses).description("How often this instance's lease has run out").register(registry);
        Gauge.builder("rilvan.webhooks.failing", () -> webhooks.all().stream().filter(each -> each.failingFrom() != null).count()).description("Webhooks that do not take what they are sent").register(registry);
        Gauge.builder("rilvan.certificate.left", () -> certificateLeft().map(Duration::toSeconds).map(Long::doubleValue).orElse(Double.NaN)).baseUnit("seconds")
                .description("Until this instance's certificate ends").register(registry);
    }

    /** How a part of the installation does. */
    public enum Condition {
        WELL, TO_BE_LOOKED_AT, BAD
    }

    /**
     * A part of the installation.
     *
     * @param found what there is to say of it, as a sentence without a full stop
     * @param advice what to do; empty where nothing is to be done
     */
    public record Part(String part, Condition condition, String found, String advice) {

        static Part well(String part, String found) {
            return new Part(part, Condition.WELL, found, "");
        }
    }

    /** Every part, and how it does now. */
    public List<Part> parts() {
        List<Part> parts = new ArrayList<>();
        parts.add(instances());
        parts.add(store());
        parts.add(key());
        parts.add(ordersUnderWay());
        parts.add(behind("checks of services", figures.longestUnchecked(), settings.healthInterval(), figures.failing() + " services fail", "rilvan service list --failing"));
        parts.add(behind("readings of devices", figures.longestUnread(), settings.readingInterval(), figures.drifted() + " nodes have drifted", "rilvan device drift"));
        parts.add(hostKeys());
        parts.add(log());
        parts.add(sending());
        parts.add(certificate());
        parts.add(disk());
        parts.add(inForce());
        return parts;
    }

    private Part instances() {
        List<InstanceRow> all = figures.instances();
        List<InstanceRow> gone = all.stream().filter(each -> !each.alive()).toList();
        long alive = all.size() - gone.size();
        String found = (alive == 1 ? "this one is alive, and no other" : alive + " are alive, this one among them") + (member.lapses() == 0 ? "" : "; its lease ran out " + member.lapses() + " times since it started")
                + gone.stream().map(each -> "; " + each.id() + " was alive until " + ActLog.time(each.aliveUntil().toInstant())).collect(Collectors.joining());
        // What one that is gone was driving is taken over within seconds.
        return gone.stream().allMatch(each -> each.drives() == 0) ? Part.well("instances", found)
                : new Part("instances", Condition.BAD, found + "; nobody has taken over its orders yet", "look again in a minute; then at the logs of those that are alive");
    }

    private Part store() {
        String tables = figures.largest(LARGEST_TABLES).stream().map(table -> table.name() + " " + size(table.bytes())).collect(Collectors.joining(", "));
        int pending = flyway.info().pending().length;
        String found = size(figures.bytes()) + ", most of it in " + tables + "; its schema is at " + flyway.info().current().getVersion();
        if (pending > 0) {
            return new Part("store", Condition.BAD, found + "; " + pending + " migrations are to be done", "start this version of the service once more, and read its log");
        }
        return durability.risk().map(risk -> new Part("store", Condition.TO_BE_LOOKED_AT, found + "; " + risk, "set synchronous_standby_names at the store, with synchronous_commit at on")).orElseGet(() -> Part.well("store", found));
    }

    private Part key() {
        List<String> shutOut = keys.shutOut();
        List<OpeningKey> opening = keys.all();
        String found = opening.stream().map(OpeningKey::name).collect(Collectors.joining(" and ")) + (opening.size() == 1 ? " opens the store" : " open the store");
        return !shutOut.isEmpty() ? new Part("key", Condition.BAD, found + "; the key file of " + String.join(", ", shutOut) + " has another, so that it would not start again", "put a key that opens the store there")
                : opening.size() == 1 ? Part.well("key", found) : new Part("key", Condition.TO_BE_LOOKED_AT, found + ": a change is not finished", "rilvan key list");
    }

    private Part ordersUnderWay() {
        long running = orders.countRunning();
        long waiting = orders.countWaiting();
        String found = running + " under way, " + waiting + " wait";
        return figures.oldestOrder().filter(oldest -> oldest.seconds() > LONG_UNDER_WAY.toSeconds())
                .map(oldest -> new Part("orders", Condition.TO_BE_LOOKED_AT, found + "; order " + oldest.id() + " was placed " + time(oldest.seconds()) + " ago", "rilvan order show " + oldest.id()))
                .orElseGet(() -> Part.well("orders", found));
    }

    private static Part behind(String part, Optional<Long> longest, Duration interval, String beside, String command) {
        String found = longest.map(seconds -> "the longest ago " + time(seconds) + " ago, every " + time(interval.toSeconds())).orElse("none yet") + "; " + beside;
        return longest.filter(seconds -> seconds > BEHIND_TIMES * interval.toSeconds()).isEmpty() ? Part.well(part, found)
                : new Part(part, Condition.TO_BE_LOOKED_AT, found, "a device may be out of reach, or there is more to do than this machine can: " + command);
    }

    private Part hostKeys() {
        long untrusted = figures.untrusted();
        return untrusted == 0 ? Part.well("host keys", "those of all devices are trusted")
                : new Part("host keys", Condition.TO_BE_LOOKED_AT, untrusted + (untrusted == 1 ? " device has" : " devices have") + " none that is trusted", "rilvan device trust FILE");
    }

    private Part log() {
        long open = acts.open(ActLog.MOST_OPEN);
        String found = open + " acts wait to be sealed";
        return open < ActLog.MOST_OPEN / 10 ? Part.well("log of acts", found) : new Part("log of acts", Condition.BAD, found + "; at " + ActLog.MOST_OPEN + " nothing more is done", "the log of the service says why");
    }

    private Part sending() {
        List<WebhookRow> all = webhooks.all();
        List<WebhookRow> failing = all.stream().filter(each -> each.failingFrom() != null).toList();
        return failing.isEmpty() ? Part.well("webhooks", all.isEmpty() ? "there are none" : "all " + all.size() + " take what they are sent")
                : new Part("webhooks", Condition.TO_BE_LOOKED_AT, failing.stream().map(each -> each.name() + (each.givenUpAt() == null ? " fails" : " is given up") + ": " + each.failure()).collect(Collectors.joining(", ")),
                "rilvan webhook list");
    }

    private Part certificate() {
        return certificateLeft().map(left -> {
            String found = left.isNegative() ? "it ended " + time(-left.toSeconds()) + " ago" : "it ends in " + time(left.toSeconds());
            return left.compareTo(CERTIFICATE_SOON) > 0 ? Part.well("certificate", found)
                    : new Part("certificate", left.isNegative() ? Condition.BAD : Condition.TO_BE_LOOKED_AT, found, "put a new one into the same files; the service takes it up without a restart");
        }).orElseGet(() -> Part.well("certificate", "this instance has none, so TLS is with a proxy, or there is none"));
    }

    /** Until the earliest end of the certificates that this instance shows; nothing where it shows none. */
    private Optional<Duration> certificateLeft() {
        if (bundle.isEmpty()) {
            return Optional.empty();
        }
        try {
            var keys = certificates.getBundle(bundle).getStores().getKeyStore();
            List<Instant> ends = new ArrayList<>();
            for (String alias : Collections.list(keys.aliases())) {
                if (keys.getCertificate(alias) instanceof X509Certificate certificate) {
                    ends.add(certificate.getNotAfter().toInstant());
                }
            }
            return ends.stream().min(Instant::compareTo).map(end -> Duration.between(Instant.now(), end));
        } catch (KeyStoreException e) {
            throw new IllegalStateException(e);
        }
    }

    private static Part disk() {
        try {
            FileStore disk = Files.getFileStore(Path.of("").toAbsolutePath());
            String found = size(disk.getUsableSpace()) + " of " + size(disk.getTotalSpace()) + " are free where this instance runs";
            return disk.getUsableSpace() > LITTLE_ROOM * disk.getTotalSpace() ? Part.well("disk", found) : new Part("disk", Condition.TO_BE_LOOKED_AT, found, "make room, or keep history for a shorter time");
        } catch (IOException e) {
            return new Part("disk", Condition.TO_BE_LOOKED_AT, "it cannot be told how much is free: " + e.getMessage(), "");
        }
    }

    private Part inForce() {
        List<String> problems = library.problems().stream().map(Object::toString).toList();
        String found = library.catalog().models().size() + " models and " + library.catalog().dialects().size() + " families are in force";
        return problems.isEmpty() ? Part.well("library", found)
                : new Part("library", Condition.TO_BE_LOOKED_AT, found + "; not in force: " + String.join("; ", problems), "rilvan model list --versions");
    }

    private static String size(long bytes) {
        String[] units = {"bytes", "KiB", "MiB", "GiB", "TiB"};
        double amount = bytes;
        int unit = 0;
        while (amount >= 1024 && unit < units.length - 1) {
            amount /= 1024;
            unit++;
        }
        return (amount < 10 && unit > 0 ? String.format(Locale.ROOT, "%.1f", amount) : Long.toString(Math.round(amount))) + " " + units[unit];
    }

    private static String time(long seconds) {
        return seconds < 120 ? seconds + " s" : seconds < 7_200 ? seconds / 60 + " min" : seconds < 172_800 ? seconds / 3_600 + " h" : seconds / 86_400 + " days";
    }
}
