package rilvan.server.api;

import jakarta.servlet.http.HttpServletRequest;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.document.Secret;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.inventory.Devices;
import rilvan.server.inventory.Devices.Configurations;
import rilvan.server.inventory.StoredPlanningSource;
import rilvan.server.library.TextDifference;
import rilvan.server.store.SnapshotRecords;
import rilvan.server.store.SnapshotRecords.SnapshotRow;

/** What devices were known to hold, and since when. */
@RestController
@RequestMapping("/api/v1/devices/{name}")
public class SnapshotController {

    private static final OffsetDateTime NEVER = OffsetDateTime.of(9999, 1, 1, 0, 0, 0, 0, ZoneOffset.UTC);

    private final SnapshotRecords snapshots;
    private final StoredPlanningSource source;
    private final Devices devices;

    SnapshotController(SnapshotRecords snapshots, StoredPlanningSource source, Devices devices) {
        this.devices = devices;
        this.snapshots = snapshots;
        this.source = source;
    }

    /**
     * From when on a device was known to hold something else.
     *
     * @param order that had made it so; null where the device was found so
     * @param digest the same where the device held the same
     */
    public record SnapshotView(OffsetDateTime at, @Nullable Long order, String digest) {}

    /** A page of a device's snapshots, the latest first. */
    @GetMapping("/snapshots")
    @Requires(Role.LOOK)
    ResponseEntity<List<SnapshotView>> snapshots(@PathVariable String name, @RequestParam Optional<OffsetDateTime> before, @RequestParam Optional<Integer> limit, HttpServletRequest request) {
        known(name);
        ListPage page = ListPage.of(limit);
        return page.answer(snapshots.before(name, before.orElse(NEVER), page.toFind()), request, "before", SnapshotRow::at, row -> new SnapshotView(row.at(), row.orderId(), row.digest()));
    }

    /** The whole configuration that a device was known to hold at a time, in its own language. */
    @GetMapping(value = "/snapshot", produces = MediaType.TEXT_PLAIN_VALUE)
    @Requires(Role.LOOK)
    String snapshot(@PathVariable String name, @RequestParam OffsetDateTime at) {
        known(name);
        return held(name, at);
    }

    /**
     * What a device was known to hold at two times, or two devices at one, line by line as a unified difference (POSIX {@code diff -u}).
     *
     * @param to now where it is left out
     * @param with another device, whose configuration is compared with this one's; the same where it is left out
     */
    @GetMapping("/differences")
    @Requires(Role.LOOK)
    List<String> differences(@PathVariable String name, @RequestParam OffsetDateTime from, @RequestParam Optional<OffsetDateTime> to, @RequestParam Optional<String> with) {
        known(name);
        with.ifPresent(this::known);
        String other = with.orElse(name);
        OffsetDateTime until = to.orElse(NEVER);
        return TextDifference.between(name + " at " + from, held(name, from), other + to.map(time -> " at " + time).orElse(" now"), held(other, until));
    }

    /** What a device runs beside what it would start with, as it is now, line by line as a unified difference; nothing where it starts with what it runs. */
    @GetMapping("/startup-differences")
    @Requires(Role.LOOK)
    List<String> startupDifferences(@PathVariable String name) {
        known(name);
        Configurations now = devices.configurations(name);
        return now.startup().map(startup -> TextDifference.between(name + " at its start", Secret.masked(startup), name + " now", Secret.masked(now.running()))).orElse(List.of());
    }

    private String held(String device, OffsetDateTime at) {
        return Secret.masked(snapshots.at(device, at).orElseThrow(() -> new Problems.NotFound("what " + device + " held at " + at + " is not known")));
    }

    private void known(String device) {
        if (source.network().device(device).isEmpty()) {
            throw new Problems.NotFound("there is no device named '" + device + "'");
        }
    }
}
