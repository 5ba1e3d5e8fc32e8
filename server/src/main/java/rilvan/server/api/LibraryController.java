package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.security.Principal;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import org.jspecify.annotations.Nullable;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestBody;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.RequestParam;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.core.catalog.Release;
import rilvan.core.catalog.Release.Kind;
import rilvan.core.document.Digest;
import rilvan.core.document.Folder;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.ServiceModel;
import rilvan.server.access.Caller;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.library.Library;
import rilvan.server.library.Publishing;
import rilvan.server.library.Publishing.Published;
import rilvan.server.monitoring.HealthMonitor;
import rilvan.server.store.Releases;
import rilvan.server.store.Releases.ReleaseHead;

/** What can be ordered and for which families: models, and everything that is published, in its versions. */
@RestController
@RequestMapping("/api/v1")
public class LibraryController {

    private static final int MOST_NAMED = 10;

    private final Library library;
    private final Publishing publishing;
    private final Releases releases;
    private final Sight sight;
    private final HealthMonitor monitor;

    public LibraryController(Library library, Publishing publishing, Releases releases, HealthMonitor monitor, Sight sight) {
        this.sight = sight;
        this.monitor = monitor;
        this.library = library;
        this.publishing = publishing;
        this.releases = releases;
    }

    /** A model as lists show it: the version that new services are made from. */
    public record ModelView(String name, int version, String title, String description, Map<String, Object> parameters,
            Map<String, Object> settings, String source, List<Integer> versions) {}

    /**
     * What there is to know of a model beside itself.
     *
     * @param page its page of documentation, in Markdown; empty where it was published without one
     * @param contains the services of other models that its services contain: what their names add, each with model and version
     * @param services how many stand on this version
     * @param usedBy the first of them, by name
     * @param containedIn the models whose services contain services of this version
     */
    public record ModelPage(String name, int version, String page, List<CheckKind> checks, Map<String, String> contains, long services, List<String> usedBy, List<String> containedIn) {}

    /**
     * A kind of check that a model makes.
     *
     * @param must whether what it looks at must be so; {@code mustNot} whether it must not; both where it depends on the place
     */
    public record CheckKind(String observation, String description, boolean must, boolean mustNot) {}

    /** What is published, and what of it, or of the folder that the service started from, cannot be in force. */
    public record LibraryView(long version, List<ProblemView> problems, List<ReleaseHead> releases) {}

    /** What is wrong, and where. */
    public record ProblemView(String where, String message) {}

    /**
     * Files to publish, by path.
     *
     * @param folder its name, for messages
     */
    public record Publication(@Nullable String folder, Map<String, String> files, @Nullable String reason) {}

    /**
     * What publishing came to, or would.
     *
     * @param already whether just this was published before
     * @param outOfDate of what is not in force: the services that would say something else with it, each with the devices
     */
    public record PublishedView(String kind, String name, int version, boolean already, boolean inForce, Map<String, List<String>> outOfDate) {

        private static PublishedView of(Published published) {
            Release release = published.release();
            return new PublishedView(release.kind().name(), release.name(), release.version(), published.already(), published.inForce(), published.outOfDate());
        }
    }

    /** The models that new services are made from. */
    @GetMapping("/models")
    @Requires(value = Role.LOOK, scoped = true)
    List<ModelView> models() {
        return library.catalog().models().values().stream().map(this::view).toList();
    }

    /** A model in the version that is asked for, or in its latest. */
    @GetMapping("/models/{name}")
    @Requires(value = Role.LOOK, scoped = true)
    ModelView model(@PathVariable String name, @RequestParam Optional<Integer> version) {
        return view(known(name, version));
    }

    /** A model's page, its checks, and where it is used. */
    @GetMapping("/models/{name}/page")
    @Requires(value = Role.LOOK, scoped = true)
    ModelPage page(@PathVariable String name, @RequestParam Optional<Integer> version, Caller caller) {
        ServiceModel model = known(name, version);
        Map<String, Map<String, Object>> observations = library.catalog().vocabulary().observations();
        List<CheckKind> checks = model.observations().entrySet().stream().map(each -> new CheckKind(each.getKey(), String.valueOf(observations.get(each.getKey()).get("description")),
                each.getValue().contains(true), each.getValue().contains(false))).toList();
        Map<String, String> contains = new LinkedHashMap<>();
        model.components().forEach((adds, inner) -> contains.put(adds, inner.name() + " " + inner.version()));
        return new ModelPage(model.name(), model.version(), publishing.release(Kind.MODEL, model.name(), model.version()).flatMap(release -> release.folder().text(Folder.PAGE)).orElse(""),
                checks, contains, releases.standing(model.name(), model.version()), releases.services(model.name(), model.version(), MOST_NAMED, sight.scopes(caller)), publishing.containing(model.name(), model.version()));
    }

    private ServiceModel known(String name, Optional<Integer> version) {
        return library.catalog().model(name, version).orElseThrow(() -> new Problems.NotFound("there is no service model named '" + name + "'" + version.map(number -> " of version " + number).orElse("")));
    }

    private ModelView view(ServiceModel model) {
        return new ModelView(model.name(), model.version(), model.title(), model.description(), model.parameters().written(),
                model.settings().schema(), model.source(), List.copyOf(library.catalog().versions().get(model.name()).keySet()));
    }

    /** All that is published, and what cannot be in force. */
    @GetMapping("/library")
    @Requires(value = Role.LOOK, scoped = true)
    LibraryView library() {
        return new LibraryView(library.inForce().version(), library.problems().stream().map(each -> new ProblemView(each.pointer(), each.message())).toList(), releases.heads());
    }

    /** Publishes a version; the same once more changes nothing. */
    @PostMapping("/releases")
    @Requires(Role.AUTHOR)
    @Recorded("publish")
    @ApiResponse(responseCode = "201", description = "It is published.")
    @ApiResponse(responseCode = "200", description = "Just this was published before.")
    ResponseEntity<PublishedView> publish(@RequestBody Publication publication, Principal who, Act act) {
        Published published = publishing.publish(folder(publication), who.getName(), publication.reason() == null || publication.reason().isBlank() ? "-" : publication.reason());
        recorded(act, published.release()).after(Map.of("reason", String.valueOf(publication.reason()), "already", published.already(), "files", digests(published.release())));
        return ResponseEntity.status(published.already() ? HttpStatus.OK : HttpStatus.CREATED).body(PublishedView.of(published));
    }

    /** What publishing would come to. */
    @PostMapping("/releases/previews")
    @Requires(Role.AUTHOR)
    @Recorded.Not("nothing is published")
    PublishedView preview(@RequestBody Publication publication) {
        return PublishedView.of(publishing.preview(folder(publication)));
    }

    /** How files differ from a version that is published, as unified differences by file. */
    @PostMapping("/releases/differences")
    @Requires(value = Role.LOOK, scoped = true)
    @Recorded.Not("a comparison")
    SortedMap<String, List<String>> differences(@RequestBody Publication publication, @RequestParam Optional<Integer> from) {
        Release release = Release.of(folder(publication));
        int version = from.or(() -> releases.heads().stream().filter(head -> head.kind().equals(release.kind().name()) && head.name().equals(release.name())).map(ReleaseHead::version)
                .max(Integer::compare)).orElseThrow(() -> new Problems.NotFound("nothing is published of the " + release.kind().words() + " " + release.name()));
        return Publishing.differences(known(release.kind(), release.name(), version), release);
    }

    /** The files of a version that is published, by path. */
    @GetMapping("/releases/{kind}/{name}/{version}")
    @Requires(value = Role.LOOK, scoped = true)
    Map<String, String> files(@PathVariable String kind, @PathVariable String name, @PathVariable int version) {
        return known(kind(kind), name, version).folder().texts();
    }

    /** How a published version differs from another one of the same thing. */
    @GetMapping("/releases/{kind}/{name}/{version}/differences")
    @Requires(value = Role.LOOK, scoped = true)
    SortedMap<String, List<String>> differencesOfVersions(@PathVariable String kind, @PathVariable String name, @PathVariable int version, @RequestParam int from) {
        return Publishing.differences(known(kind(kind), name, from), known(kind(kind), name, version));
    }

    /** Puts a version of a dialect or of the vocabulary into force. */
    @PostMapping("/releases/{kind}/{name}/{version}/activation")
    @Requires(Role.AUTHOR)
    @Recorded("activate")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void activate(@PathVariable String kind, @PathVariable String name, @PathVariable int version, Act act) {
        Release release = known(kind(kind), name, version);
        recorded(act, release);
        publishing.activate(release);
        monitor.compareAll();
    }

    /** Takes a version out of force for good. */
    @PostMapping("/releases/{kind}/{name}/{version}/retirement")
    @Requires(Role.AUTHOR)
    @Recorded("retire")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void retire(@PathVariable String kind, @PathVariable String name, @PathVariable int version, Act act) {
        Release release = known(kind(kind), name, version);
        recorded(act, release);
        publishing.retire(release);
    }

    /** The digest of each file, by its path. */
    private static Map<String, String> digests(Release release) {
        Map<String, String> digests = new TreeMap<>();
        release.folder().texts().forEach((path, text) -> digests.put(path, Digest.of(text)));
        return digests;
    }

    private static Act recorded(Act act, Release release) {
        return act.about(release.kind().words(), release.name()).about("version", release.name() + " " + release.version());
    }

    private Release known(Kind kind, String name, int version) {
        return publishing.release(kind, name, version).orElseThrow(() -> new Problems.NotFound("there is no version " + version + " of the " + kind.words() + " " + name));
    }

    private static Kind kind(String text) {
        try {
            return Kind.valueOf(text.toUpperCase(Locale.ROOT));
        } catch (IllegalArgumentException e) {
            throw new Problems.NotFound("nothing is published as '" + text + "'; there are models, dialects and the vocabulary");
        }
    }

    private static Folder folder(Publication publication) {
        if (publication.files().values().stream().anyMatch(text -> text == null)) {
            throw new ValidationFailure("/files", "is missing: the texts to publish, by path");
        }
        return Folder.of(publication.folder() == null ? "" : publication.folder(), publication.files());
    }
}
