package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** Who may do what, from outside: every endpoint with every role, and the life of accounts, sign-ins and tokens. */
@Timeout(value = 3, unit = TimeUnit.MINUTES)
class PeopleTest {

    private static final String JSON = "application/json";
    private static final String SENTENCE = "the ferry leaves at seven";
    private static final List<String> ROLES = List.of("look", "prepare", "approve", "run", "author", "administer");
    private static final List<String> SCOPED = List.of("look", "prepare", "approve", "run");
    /** What each role may do beside what it is named for. */
    private static final Map<String, List<String>> COVERS = Map.of("look", List.of("look"), "prepare", List.of("look", "prepare"), "approve", List.of("look", "approve"),
            "run", List.of("look", "prepare", "run"), "author", List.of("look", "author"), "administer", List.of("look", "administer"));
    /** Every endpoint there is, and who may call it; those that are scoped also where the role holds for some tenants only. */
    private static final String RULES = """
            GET /api/v1/network look scoped
            PUT /api/v1/network administer
            POST /api/v1/network/checks look scoped
            PUT /api/v1/host-keys administer
            PUT /api/v1/credentials/{name} administer
            GET /api/v1/devices look scoped
            GET /api/v1/devices/{name} look scoped
            POST /api/v1/devices/{name}/readings run
            GET /api/v1/devices/{name}/configuration look scoped
            GET /api/v1/devices/{name}/explanation look scoped
            GET /api/v1/devices/{name}/settings look scoped
            PUT /api/v1/devices/{name}/wire-trace administer
            GET /api/v1/drift look scoped
            POST /api/v1/devices/{name}/drift-decisions run scoped
            GET /api/v1/services look scoped
            GET /api/v1/services/{name} look scoped
            POST /api/v1/services/{name}/checks look scoped
            GET /api/v1/failing-services look scoped
            POST /api/v1/previews prepare scoped
            POST /api/v1/rehearsals prepare scoped
            GET /api/v1/orders look scoped
            POST /api/v1/orders run scoped
            GET /api/v1/orders/{id} look scoped
            GET /api/v1/orders/{id}/events look scoped
            GET /api/v1/orders/{id}/preview look scoped
            GET /api/v1/orders/{id}/stages look scoped
            POST /api/v1/orders/{id}/agreement approve scoped
            POST /api/v1/orders/{id}/refusal approve scoped
            POST /api/v1/orders/{id}/cancellation run scoped
            GET /api/v1/freezes look
            GET /api/v1/freezes/{name} look
            PUT /api/v1/freezes/{name} administer
            DELETE /api/v1/freezes/{name} administer
            GET /api/v1/emergency-stop look scoped
            PUT /api/v1/emergency-stop run
            DELETE /api/v1/emergency-stop run
            GET /api/v1/agreement-rules look
            GET /api/v1/agreement-rules/{name} look
            PUT /api/v1/agreement-rules/{name} administer
            DELETE /api/v1/agreement-rules/{name} administer
            POST /api/v1/orders/{id}/devices/{device}/resolutions run scoped
            GET /api/v1/drafts look scoped
            GET /api/v1/endings look scoped
            GET /api/v1/services/{name}/ending look scoped
            PUT /api/v1/services/{name}/ending run scoped
            DELETE /api/v1/services/{name}/ending run scoped
            GET /api/v1/devices/{name}/snapshots look
            GET /api/v1/devices/{name}/snapshot look
            GET /api/v1/devices/{name}/differences look
            GET /api/v1/drafts/{name} look scoped
            PUT /api/v1/drafts/{name} prepare scoped
            DELETE /api/v1/drafts/{name} prepare scoped
            POST /api/v1/drafts/{name}/entries prepare scoped
            POST /api/v1/drafts/{name}/values prepare scoped
            GET /api/v1/drafts/{name}/services/{service} look scoped
            DELETE /api/v1/drafts/{name}/entries/{service} prepare scoped
            POST /api/v1/drafts/{name}/entries/{service}/renewal prepare scoped
            POST /api/v1/drafts/{name}/decisions prepare scoped
            DELETE /api/v1/drafts/{name}/decisions prepare scoped
            PUT /api/v1/drafts/{name}/reservation prepare scoped
            DELETE /api/v1/drafts/{name}/reservation prepare scoped
            POST /api/v1/drafts/{name}/files prepare scoped
            POST /api/v1/tables prepare scoped
            POST /api/v1/drafts/{name}/acceptances prepare scoped
            POST /api/v1/drafts/{name}/tables prepare scoped
            GET /api/v1/files look scoped
            POST /api/v1/files/differences prepare scoped
            POST /api/v1/drafts/{name}/returns prepare scoped
            POST /api/v1/drafts/{name}/undoings prepare scoped
            GET /api/v1/services/{name}/differences look scoped
            GET /api/v1/services/{name}/lines look scoped
            GET /api/v1/services/{name}/handover look scoped
            GET /api/v1/services/{name}/handover-page look scoped
            GET /api/v1/devices/{name}/startup-differences look
            GET /api/v1/services/{name}/line-differences look scoped
            POST /api/v1/drafts/{name}/splits prepare scoped
            POST /api/v1/drafts/{name}/previews prepare scoped
            POST /api/v1/drafts/{name}/rehearsals prepare scoped
            POST /api/v1/drafts/{name}/orders run scoped
            GET /api/v1/models look scoped
            GET /api/v1/models/{name} look scoped
            GET /api/v1/models/{name}/page look scoped
            GET /api/v1/library look scoped
            POST /api/v1/releases author
            POST /api/v1/releases/previews author
            POST /api/v1/releases/differences look scoped
            GET /api/v1/releases/{kind}/{name}/{version} look scoped
            GET /api/v1/releases/{kind}/{name}/{version}/differences look scoped
            POST /api/v1/releases/{kind}/{name}/{version}/activation author
            POST /api/v1/releases/{kind}/{name}/{version}/retirement author
            GET /api/v1/tenants look scoped
            POST /api/v1/tenants administer
            GET /api/v1/tenants/{name} look scoped
            PUT /api/v1/tenants/{name} administer
            DELETE /api/v1/tenants/{name} administer
            POST /api/v1/tenants/{name}/renaming-previews administer
            POST /api/v1/tenants/{name}/renaming administer
            GET /api/v1/people administer
            POST /api/v1/people administer
            GET /api/v1/people/{name} administer
            PUT /api/v1/people/{name} administer
            DELETE /api/v1/people/{name} administer
            PUT /api/v1/people/{name}/roles/{role} administer
            DELETE /api/v1/people/{name}/roles/{role} administer
            PUT /api/v1/people/{name}/password administer
            GET /api/v1/people/{name}/tokens administer
            POST /api/v1/people/{name}/tokens administer
            DELETE /api/v1/people/{name}/tokens/{id} administer
            GET /api/v1/events look scoped
            GET /api/v1/events/stream look scoped
            GET /api/v1/installation administer
            GET /api/v1/keys administer
            POST /api/v1/keys administer
            DELETE /api/v1/keys/{name} administer
            GET /api/v1/webhooks administer
            GET /api/v1/webhooks/{name} administer
            PUT /api/v1/webhooks/{name} administer
            DELETE /api/v1/webhooks/{name} administer
            POST /api/v1/webhooks/{name}/trials administer
            POST /api/v1/webhooks/{name}/resumption administer
            GET /api/v1/acts administer
            GET /api/v1/acts/export administer
            GET /api/v1/acts/heads administer
            GET /api/v1/acts/key administer
            GET /api/v1/acts/verification administer
            GET /api/v1/me signed-in
            PUT /api/v1/me/password signed-in
            GET /api/v1/me/tokens signed-in
            DELETE /api/v1/me/tokens/{id} signed-in
            POST /api/v1/tokens anybody
            GET /api/v1/health anybody
            GET /api/v1/sign-in-ways anybody
            GET /openid/start anybody
            """;

    private static Product product;
    @TempDir
    private Path folder;
    private final HttpClient http = HttpClient.newHttpClient();

    @BeforeAll
    static void start() throws Exception {
        product = new Product("people", Product.ROOT.resolve("models"), Map.of("RILVAN_LOG_HEADS_INTERVAL", "1s"));
    }

    @AfterAll
    static void stop() throws Exception {
        product.close();
    }

    private static Map<String, String> rules() {
        Map<String, String> rules = new LinkedHashMap<>();
        RULES.lines().map(line -> line.split(" ", 3)).forEach(words -> rules.put(words[0] + " " + words[1], words[2]));
        return rules;
    }

    private HttpResponse<String> asked(String method, String path, String body, String token) throws Exception {
        HttpRequest.Builder request = HttpRequest.newBuilder(URI.create(product.server() + path)).header("Content-Type", JSON).method(method, HttpRequest.BodyPublishers.ofString(body));
        if (!token.isEmpty()) {
            request.header("Authorization", "Bearer " + token);
        }
        // A stream that goes on is left as soon as it has begun.
        return Described.held(method, URI.create(path), http.send(request.build(), path.endsWith("/stream")
                ? answer -> HttpResponse.BodySubscribers.mapping(HttpResponse.BodySubscribers.ofInputStream(), PeopleTest::left) : HttpResponse.BodyHandlers.ofString()));
    }

    private static String left(InputStream stream) {
        try (stream) {
            return "";
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private HttpResponse<String> signIn(String name, String password) throws Exception {
        return asked("POST", "/api/v1/tokens", JsonWriter.string().object().value("user", name).value("password", password).end().done(), "");
    }

    private String token(String name, String password) throws Exception {
        HttpResponse<String> answer = signIn(name, password);
        assertThat(answer.statusCode()).as(name).isEqualTo(200);
        return JsonParser.object().from(answer.body()).getString("token");
    }

    private static String people(String... words) throws Exception {
        String[] command = new String[words.length + 1];
        command[0] = "people";
        System.arraycopy(words, 0, command, 1, words.length);
        Product.Result result = product.rilvan(SENTENCE, command);
        assertThat(result.code()).as(result.output()).isZero();
        return result.output();
    }

    /** No request of these changes anything: what they name is not there, and what they say is nothing. */
    @Test
    void everyEndpointIsForItsRolesAndForNoOthers() throws Exception {
        Map<String, String> tokens = new TreeMap<>(Map.of("nobody", "nonsense"));
        for (String role : ROLES) {
            people("add", "one-of-" + role, "--roles", role, "--password-file", "-");
            tokens.put(role, token("one-of-" + role, SENTENCE));
            if (SCOPED.contains(role)) {
                people("add", "some-of-" + role, "--roles", role, "--tenant", "Kelp & Co.", "--password-file", "-");
                tokens.put(role + " scoped", token("some-of-" + role, SENTENCE));
            }
        }
        Map<String, String> rules = rules();
        JsonObject paths = product.get("/api/v1/openapi").getObject("paths");
        Map<String, String> found = new TreeMap<>();
        paths.forEach((path, methods) -> ((JsonObject) methods).keySet().forEach(method -> found.put(method.toUpperCase(java.util.Locale.ROOT) + " " + path, "")));
        assertThat(found.keySet()).containsExactlyInAnyOrderElementsOf(rules.keySet());
        for (Map.Entry<String, String> rule : rules.entrySet()) {
            String[] endpoint = rule.getKey().split(" ");
            String path = endpoint[1].replace("{id}", "999999").replace("{version}", "999").replace("{kind}", "model").replace("{role}", "look").replaceAll("\\{\\w+}", "no-such-thing");
            for (Map.Entry<String, String> who : tokens.entrySet()) {
                HttpResponse<String> answer = asked(endpoint[0], path, "{}", who.getValue());
                int status = answer.statusCode();
                boolean anybody = rule.getValue().equals("anybody");
                if (who.getKey().equals("nobody")) {
                    assertThat(status == 401).as("%s by nobody: %d", rule.getKey(), status).isEqualTo(!anybody);
                } else {
                    String[] needed = rule.getValue().split(" ");
                    String[] has = who.getKey().split(" ");
                    boolean allowed = anybody || needed[0].equals("signed-in") || COVERS.get(has[0]).contains(needed[0]) && (has.length == 1 || needed.length == 2);
                    assertThat(status).as("%s by %s: %s", rule.getKey(), who.getKey(), answer.body()).satisfies(code -> assertThat(code == 403).isEqualTo(!allowed)).isNotEqualTo(401).isLessThan(500);
                }
            }
        }
        // Who administers is not left beside the one that other tests are about.
        for (String role : ROLES) {
            people("remove", "one-of-" + role);
        }
        for (String role : SCOPED) {
            people("remove", "some-of-" + role);
        }
    }

    /** A role given or taken counts at once, also for who is signed in already. */
    @Test
    void aChangeOfRolesTakesEffectAtOnce() throws Exception {
        people("add", "anna", "--roles", "prepare", "--password-file", "-");
        String anna = token("anna", SENTENCE);
        String clinics = Files.readString(Product.ROOT.resolve("models/services/l3vpn/examples/tidewater-clinics.yaml"));
        HttpResponse<String> refused = asked("POST", "/api/v1/orders", clinics, anna);
        assertThat(refused.statusCode()).isEqualTo(403);
        assertThat(refused.body()).contains("this needs the role run; anna has prepare");
        assertThat(asked("POST", "/api/v1/previews", clinics, anna).statusCode()).isEqualTo(200);
        people("change", "anna", "--roles", "run");
        assertThat(asked("POST", "/api/v1/orders", "{\"remove\":[\"no-such-service\"]}", anna).statusCode()).isEqualTo(422);
        people("change", "anna", "--no-active");
        assertThat(asked("GET", "/api/v1/me", "", anna).statusCode()).isEqualTo(401);
        assertThat(signIn("anna", SENTENCE).statusCode()).isEqualTo(401);
        people("change", "anna", "--active");
        assertThat(asked("GET", "/api/v1/me", "", anna).statusCode()).isEqualTo(401);
        String again = token("anna", SENTENCE);
        people("remove", "anna");
        assertThat(asked("GET", "/api/v1/me", "", again).statusCode()).isEqualTo(401);
    }

    /** A program has tokens instead of a password, each shown once, for a part of what the program may do, and ended when it is stolen. */
    @Test
    void aProgramIsGivenTokens() throws Exception {
        people("add", "billing", "--program", "--roles", "run");
        assertThat(signIn("billing", "").statusCode()).isEqualTo(401);
        String whole = people("token", "billing", "--label", "orders from billing", "--days", "30").lines().findFirst().orElseThrow();
        JsonObject part = JsonParser.object().from(product.request("POST", "/api/v1/people/billing/tokens", "{\"label\":\"reports\",\"days\":1,\"roles\":[\"look\"]}", JSON).body());
        assertThat(asked("POST", "/api/v1/previews", "{}", whole).statusCode()).isEqualTo(422);
        HttpResponse<String> scoped = asked("POST", "/api/v1/previews", "{}", part.getString("token"));
        assertThat(scoped.statusCode()).isEqualTo(403);
        assertThat(scoped.body()).contains("billing has look with this token");
        assertThat(product.request("POST", "/api/v1/people/billing/tokens", "{\"label\":\"all\",\"days\":1,\"roles\":[\"administer\"]}", JSON).body()).contains("billing does not have the role administer");
        assertThat(people("tokens", "billing")).contains("orders from billing", "reports", "all of the account").doesNotContain(whole);
        people("end-token", Long.toString(part.getLong("id")), "--of", "billing");
        assertThat(asked("GET", "/api/v1/me", "", part.getString("token")).statusCode()).isEqualTo(401);
        assertThat(asked("GET", "/api/v1/me", "", whole).statusCode()).isEqualTo(200);
        people("remove", "billing");
    }

    @Test
    void passwordsAreLongAndChangedByTheirOwners() throws Exception {
        assertThat(product.rilvan("too short", "people", "add", "bert", "--password-file", "-").output()).contains("/password", "has 9 characters; a password has at least 12");
        people("add", "bert", "--password-file", "-");
        String first = token("bert", SENTENCE);
        String second = token("bert", SENTENCE);
        assertThat(asked("PUT", "/api/v1/me/password", "{\"present\":\"wrong\",\"password\":\"another long sentence\"}", first).statusCode()).isEqualTo(422);
        assertThat(asked("PUT", "/api/v1/me/password", "{\"present\":\"" + SENTENCE + "\",\"password\":\"another long sentence\"}", first).statusCode()).isEqualTo(204);
        assertThat(asked("GET", "/api/v1/me", "", first).statusCode()).isEqualTo(200);
        assertThat(asked("GET", "/api/v1/me", "", second).statusCode()).isEqualTo(401);
        token("bert", "another long sentence");
        people("remove", "bert");
    }

    /** Nobody but the accounts of the store: none that a library brings by itself, with a password in the log. */
    @Test
    void noAccountIsThereThatNobodyMade() throws Exception {
        assertThat(Files.readString(product.run().resolve("service.log"))).doesNotContainIgnoringCase("password:");
        assertThat(people("list").lines().skip(1).map(line -> line.split(" ")[0])).contains("engineer").doesNotContain("user", "admin", "root");
    }

    /** Guessing is slowed, for what is no account as well: nothing tells them apart. */
    @Test
    void guessingIsSlowed() throws Exception {
        people("add", "clara", "--password-file", "-");
        for (String name : List.of("clara", "no-such-person")) {
            HttpResponse<String> answer = signIn(name, "guessed");
            for (int tries = 1; answer.statusCode() == 401; tries++) {
                assertThat(tries).isLessThan(20);
                answer = signIn(name, "guessed");
            }
            assertThat(answer.statusCode()).isEqualTo(429);
            assertThat(answer.headers().firstValue("Retry-After")).isPresent();
            assertThat(answer.body()).doesNotContain(name);
        }
        people("remove", "clara");
    }

    /** Who works with several services has a sign-in to each; and of a list the columns that one wants. */
    @Test
    void profilesAreSignInsToSeveralServices() throws Exception {
        people("add", "gus", "--password-file", "-");
        Product.Result signedIn = product.rilvan(SENTENCE, "sign-in", "--profile", "second", "--server", product.server(), "--user", "gus", "--password-file", "-");
        assertThat(signedIn.output()).contains("as gus; RILVAN_PROFILE=second works with it");
        assertThat(product.rilvan("", "people", "me").output()).startsWith("engineer");
        assertThat(product.rilvan("", "profile", "list").output()).containsPattern("- +http.* +yes").containsPattern("second +" + product.server());
        assertThat(Files.getPosixFilePermissions(product.run().resolve("session-second"))).containsExactlyInAnyOrder(java.nio.file.attribute.PosixFilePermission.OWNER_READ, java.nio.file.attribute.PosixFilePermission.OWNER_WRITE);
        assertThat(product.rilvan("", "profile", "remove", "second").code()).isZero();
        assertThat(product.rilvan("", "profile", "remove", "second").output()).contains("there is no profile named 'second'");
        assertThat(product.rilvan("", "people", "list", "--columns", "roles,name").output().lines().findFirst().orElseThrow()).matches("ROLES +NAME");
        assertThat(product.rilvan("", "people", "list", "--columns", "rules").output()).contains("there is no column 'rules'; available: NAME, KIND");
        people("remove", "gus");
    }

    @Test
    void somebodyWhoAdministersIsAlwaysLeft() throws Exception {
        Product.Result refused = product.rilvan("", "people", "change", "engineer", "--roles", "look,run");
        assertThat(refused.code()).isEqualTo(5);
        assertThat(refused.output()).contains("nobody would be left who may administer");
        assertThat(product.rilvan("", "people", "remove", "engineer").output()).contains("nobody would be left who may administer");
        assertThat(product.rilvan("", "people", "change", "engineer", "--no-active").output()).contains("nobody would be left who may administer");
        assertThat(people("me")).isEqualTo("engineer, person: look, prepare, approve, run, author, administer\n");
        assertThat(product.rilvan("", "people", "add", "dora", "--program", "--roles", "rum").output()).contains("there is no role 'rum'; the nearest is run");
    }

    /** What was done and refused is in the log, with who, from where and why; nothing secret is; and what is changed in the store by its owner is named, by the service and without it. */
    @Test
    void whateverIsDoneIsInALogThatCannotBeChangedUnnoticed() throws Exception {
        people("add", "emil", "--roles", "prepare", "--password-file", "-");
        String emil = token("emil", SENTENCE);
        signIn("emil", "a wrong sentence here");
        HttpResponse<String> refused = asked("POST", "/api/v1/orders", "{}", emil);
        String request = refused.headers().firstValue("Request-Id").orElseThrow();
        asked("GET", "/api/v1/people", "", emil);
        people("change", "emil", "--roles", "run");
        asked("PUT", "/api/v1/credentials/demo-routers", "{\"user\":\"emil\",\"password\":\"wrong way in\"}", emil);
        Files.writeString(folder.resolve("order.yaml"), "remove: [no-such-service]");
        product.rilvan("", "order", "run", folder.resolve("order.yaml").toString());
        String log = log("list", "--limit", "100");
        assertThat(log).containsPattern("emil +127.0.0.1 +look +address /api/v1/people +refused: this needs the role administer").containsPattern("engineer +127.0.0.1 +add account +account emil +done").containsPattern("emil +127.0.0.1 +sign in +refused: the password is not")
                .containsPattern("emil +127.0.0.1 +place order +refused: this needs the role run; emil has prepare").containsPattern("emil +127.0.0.1 +put credential +credential demo-routers +refused: this needs the role administer")
                .containsPattern("engineer +127.0.0.1 +place order +refused: .*no-such-service").doesNotContain(SENTENCE, "wrong way in");
        JsonObject change = act("?who=engineer&act=change%20account&about=account%20emil");
        assertThat(change.getObject("before").getArray("grants").getObject(0).getString("role")).isEqualTo("prepare");
        assertThat(change.getObject("after").getArray("grants").getObject(0).getString("role")).isEqualTo("run");
        assertThat(act("?who=emil&act=place%20order").getString("request")).isEqualTo(request);
        assertThat(log("verify")).contains("whole: ");
        // What an auditor keeps elsewhere.
        Files.writeString(folder.resolve("log.pem"), log("key"));
        String heads = log("export", "--heads");
        for (long acts = sealed(); !heads.contains("\"seq\":" + acts + ","); heads = log("export", "--heads")) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        Files.writeString(folder.resolve("heads.jsonl"), heads);
        log("export", folder.resolve("acts.jsonl").toString());
        String[] byOneself = {"log", "verify", "--export", folder.resolve("acts.jsonl").toString(), "--heads", folder.resolve("heads.jsonl").toString(), "--key", folder.resolve("log.pem").toString()};
        assertThat(product.rilvan("", byOneself)).satisfies(result -> assertThat(result.code()).as(result.output()).isZero());
        // The owner of the database makes it look as if somebody else had done it.
        product.script("as_store_owner set session_replication_role = replica; update acts set act = replace(act::text, '\"emil\"', '\"bert\"')::json where seq = (select min(seq) from acts where who = 'emil')");
        Product.Result verified = product.rilvan("", "log", "verify");
        assertThat(verified.code()).isEqualTo(3);
        assertThat(verified.output()).contains("not whole: first at act", "is not the one that was sealed");
        log("export", folder.resolve("acts.jsonl").toString());
        assertThat(product.rilvan("", byOneself)).satisfies(result -> assertThat(result.code()).isEqualTo(3)).satisfies(result -> assertThat(result.output()).contains("is not the one that was sealed"));
        people("remove", "emil");
    }

    private static String log(String... words) throws Exception {
        String[] command = new String[words.length + 1];
        command[0] = "log";
        System.arraycopy(words, 0, command, 1, words.length);
        return product.rilvan("", command).output();
    }

    private static JsonObject act(String query) throws Exception {
        return JsonParser.array().from(product.request("GET", "/api/v1/acts" + query, "", JSON).body()).getObject(0).getObject("act");
    }

    /** The last act that is sealed. */
    private static long sealed() throws Exception {
        return product.get("/api/v1/acts/verification").getLong("last");
    }
}
