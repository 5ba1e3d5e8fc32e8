package rilvan.server.api;

import io.swagger.v3.oas.annotations.media.Content;
import io.swagger.v3.oas.annotations.media.Schema;
import io.swagger.v3.oas.annotations.responses.ApiResponse;
import jakarta.servlet.http.HttpServletRequest;
import java.time.DateTimeException;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.springframework.http.MediaType;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.RestController;
import org.springframework.web.servlet.mvc.method.annotation.StreamingResponseBody;
import rilvan.core.document.ValidationFailure;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.LogKey;
import rilvan.server.acts.SignedHeads;
import rilvan.server.acts.Verification;
import rilvan.server.store.Acts;
import rilvan.server.store.Acts.Search;
import rilvan.server.store.Json;
import tools.jackson.core.type.TypeReference;

/** The log of acts: search, export, verify. */
@RestController
@RequestMapping("/api/v1/acts")
public class LogController {

    private static final int USUAL_ACTS = 50;
    private static final TypeReference<Map<String, Object>> FIELDS = new TypeReference<>() {};

    private final Acts acts;
    private final Verification verification;
    private final SignedHeads heads;
    private final LogKey key;
    private final Json json;

    LogController(Acts acts, Verification verification, SignedHeads heads, LogKey key, Json json) {
        this.acts = acts;
        this.verification = verification;
        this.heads = heads;
        this.key = key;
        this.json = json;
    }

    /**
     * An act.
     *
     * @param seq its number in the chain; null while it waits to be sealed
     */
    public record ActView(@Nullable Long seq, Map<String, Object> act) {}

    /** What signatures of heads are verified with: an Ed25519 key (RFC 8410) as PEM (RFC 7468). */
    public record KeyView(String log, String publicKey) {}

    /** A page of acts that match all that is asked for, the latest first; on the first page with those that wait to be sealed. */
    @GetMapping
    @Requires(Role.ADMINISTER)
    ResponseEntity<List<ActView>> acts(@RequestParam Optional<String> who, @RequestParam Optional<String> act, @RequestParam Optional<String> about, @RequestParam Optional<String> since,
            @RequestParam Optional<String> until, @RequestParam Optional<Long> before, @RequestParam Optional<Integer> limit, HttpServletRequest request) {
        ListPage page = ListPage.of(limit.or(() -> Optional.of(USUAL_ACTS)));
        Search search = new Search(who.orElse(null), act.orElse(null), about.orElse(null), since.map(time -> time(time, "/since")).orElse(null), until.map(time -> time(time, "/until")).orElse(null));
        List<ActView> found = new ArrayList<>();
        if (before.isEmpty()) {
            acts.foundOpen(search, page.limit()).forEach(open -> found.add(new ActView(null, json.read(open.act(), FIELDS))));
        }
        acts.found(search, before.orElse(Long.MAX_VALUE), page.toFind() - Math.min(found.size(), page.limit())).forEach(sealed -> found.add(new ActView(sealed.seq(), json.read(sealed.act(), FIELDS))));
        return page.answer(found, request, "before", view -> view.seq() == null ? Long.MAX_VALUE : view.seq(), view -> view);
    }

    private static String time(String given, String pointer) {
        try {
            return ActLog.time(OffsetDateTime.parse(given).toInstant());
        } catch (DateTimeException e) {
            throw new ValidationFailure(pointer, "'" + given + "' is no time; it looks like 2026-05-04T08:00:00Z (RFC 3339)");
        }
    }

    /**
     * The sealed acts beyond one, as lines of JSON: {@code {"seq":…,"digest":"…","act":…}}. The digest of each is the SHA-256 of the digest of the one before, in hexadecimal, a line feed, and the
     * act's text just as it is between {@code "act":} and the last brace.
     */
    @GetMapping(value = "/export", produces = MediaType.APPLICATION_NDJSON_VALUE)
    @ApiResponse(responseCode = "200", description = "Of any length.", content = @Content(mediaType = MediaType.APPLICATION_NDJSON_VALUE, schema = @Schema(ref = "#/components/schemas/Lines")))
    @Requires(Role.ADMINISTER)
    ResponseEntity<StreamingResponseBody> export(@RequestParam Optional<Long> beyond) {
        return Lines.answer(line -> acts.each(beyond.orElse(0L), act -> line.accept("{\"seq\":" + act.seq() + ",\"digest\":\"" + act.digest() + "\",\"act\":" + act.act() + "}")));
    }

    /** The signed heads beyond an act, as lines of JSON, just as they were sent out. */
    @GetMapping(value = "/heads", produces = MediaType.APPLICATION_NDJSON_VALUE)
    @ApiResponse(responseCode = "200", description = "Of any length.", content = @Content(mediaType = MediaType.APPLICATION_NDJSON_VALUE, schema = @Schema(ref = "#/components/schemas/Lines")))
    @Requires(Role.ADMINISTER)
    ResponseEntity<StreamingResponseBody> heads(@RequestParam Optional<Long> beyond) {
        String log = acts.log();
        return Lines.answer(line -> heads.from(log, beyond.orElse(0L), line));
    }

    /** The key that signatures of heads are verified with. */
    @GetMapping("/key")
    @Requires(Role.ADMINISTER)
    KeyView key() {
        return new KeyView(acts.log(), key.asPem());
    }

    /** Works the whole chain out once more. */
    @GetMapping("/verification")
    @Requires(Role.ADMINISTER)
    Verification.Verified verification() {
        return verification.verify();
    }
}
