package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonStringWriter;
import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(name = "people", mixinStandardHelpOptions = true, description = {"People and programs that have an account, what they may do, and where they are signed in.",
    "Roles: look, prepare (work orders out), approve, run (orders, drift, devices in doubt), author (models, dialects), administer (people, network, keys). Everybody may look."},
        footer = {"", "Examples:", "  rilvan people add anna --roles prepare,run --password-file -", "  rilvan people add bert --roles look,run --tenant 'Tidewater Clinics'", "  rilvan people add billing --program --roles run",
            "  rilvan people token billing --label 'orders from billing' --days 90"})
final class PeopleCommands {

    private static final String PEOPLE = "/api/v1/people";

    @Command(name = "list", mixinStandardHelpOptions = true, description = "All accounts.",
            footer = {"", "Examples:", "  rilvan people list"})
    int list(@Mixin ListOutput output) throws IOException {
        output.list(Server.signedIn().list(PEOPLE), List.of("NAME", "KIND", "ROLES", "STATE", "SINCE", "BY"), account -> List.of(account.getString("name"), word(account, "kind"),
                grants(account), account.getBoolean("active") ? "active" : "not active", Texts.time(account.getString("createdAt")), account.getString("createdBy")));
        return 0;
    }

    @Command(name = "me", mixinStandardHelpOptions = true, description = "Who is signed in here, and with which roles.",
            footer = {"", "Examples:", "  rilvan people me"})
    int me(@Mixin Output output) throws IOException {
        JsonObject me = Server.signedIn().get("/api/v1/me");
        if (!output.asJson(me)) {
            Terminal.say(me.getString("name") + ", " + word(me, "kind") + ": " + (me.getArray("grants").isEmpty() ? "no role" : grants(me)));
        }
        return 0;
    }

    @Command(name = "add", mixinStandardHelpOptions = true, description = "Adds a person, who signs in with a password, or a program, which is given tokens.",
            footer = {"", "Examples:", "  rilvan people add anna --roles prepare,run --password-file -", "  rilvan people add billing --program --roles run"})
    int add(@Parameters(paramLabel = "NAME") String name, @Option(names = "--roles", split = ",", paramLabel = "ROLE", description = "What they may do; by itself only look") List<String> roles,
            @Mixin Scope scope, @Option(names = "--program", description = "A program") boolean program,
            @Option(names = "--password-file", paramLabel = "FILE", description = "Where the first password is; asked for otherwise (- for standard input)") String passwordFile,
            @Mixin Output output) throws IOException {
        JsonStringWriter body = JsonWriter.string().object().value("name", name).value("kind", program ? "program" : "person")
                .array("roles", roles == null ? List.of("look") : roles);
        scope.write(body);
        if (!program) {
            body.value("password", SignIn.password(passwordFile, "First password of " + name));
        }
        JsonObject account = Server.signedIn().object("POST", PEOPLE, body.end().done(), Documents.JSON);
        if (!output.asJson(account)) {
            Terminal.say(name + " is added: " + grants(account) + (program ? ". Give it a token: rilvan people token " + name + " --label WHAT-FOR --days 90" : ""));
        }
        return 0;
    }

    @Command(name = "change", mixinStandardHelpOptions = true, description = "Changes what an account may do, or whether it may sign in. It takes effect at once.",
            footer = {"", "Examples:", "  rilvan people change anna --roles prepare", "  rilvan people change anna --no-active"})
    int change(@Parameters(paramLabel = "NAME") String name, @Option(names = "--roles", split = ",", paramLabel = "ROLE", description = "What they may do from now on") List<String> roles,
            @Mixin Scope scope, @Option(names = "--active", negatable = true, paramLabel = "", description = "May sign in, or with --no-active may not: all sign-ins end") Boolean active, @Mixin Output output) throws IOException {
        JsonStringWriter body = JsonWriter.string().object();
        if (roles != null) {
            body.array("roles", roles);
        }
        scope.write(body);
        if (active != null) {
            body.value("active", active);
        }
        return changed(name, Server.signedIn().object("PUT", PEOPLE + "/" + Texts.escape(name), body.end().done(), Documents.JSON), output);
    }

    /** What roles hold for, where not for all. */
    static final class Scope {

        @Option(names = "--tenant", paramLabel = "TENANT", description = "The roles hold only for services of this tenant; repeated for several")
        private List<String> tenants;

        @Option(names = "--site", paramLabel = "SITE", description = "The roles hold only on devices of this site; repeated for several")
        private List<String> sites;

        private void write(JsonStringWriter body) {
            if (tenants != null) {
                body.array("tenants", tenants);
            }
            if (sites != null) {
                body.array("sites", sites);
            }
        }
    }

    @Command(name = "grant", mixinStandardHelpOptions = true, description = "Gives an account a role, or lets one that it has hold for something else; its other roles stay.",
            footer = {"", "Examples:", "  rilvan people grant anna run --tenant 'Tidewater Clinics' --tenant 'Skerry Council'", "  rilvan people grant anna look"})
    int grant(@Parameters(paramLabel = "NAME") String name, @Parameters(paramLabel = "ROLE") String role, @Mixin Scope scope, @Mixin Output output) throws IOException {
        JsonStringWriter body = JsonWriter.string().object();
        scope.write(body);
        return changed(name, Server.signedIn().object("PUT", roleOf(name, role), body.end().done(), Documents.JSON), output);
    }

    @Command(name = "withdraw", mixinStandardHelpOptions = true, description = "Takes a role from an account; its other roles stay.",
            footer = {"", "Examples:", "  rilvan people withdraw anna run"})
    int withdraw(@Parameters(paramLabel = "NAME") String name, @Parameters(paramLabel = "ROLE") String role, @Mixin Output output) throws IOException {
        return changed(name, Server.signedIn().object("DELETE", roleOf(name, role), null, null), output);
    }

    private static String roleOf(String name, String role) {
        return PEOPLE + "/" + Texts.escape(name) + "/roles/" + Texts.escape(role);
    }

    private static int changed(String name, JsonObject account, Output output) {
        if (!output.asJson(account)) {
            Terminal.say(name + " is " + (account.getBoolean("active") ? "active" : "not active") + ": " + grants(account));
        }
        return 0;
    }

    /** Roles, and what each holds for where not for all. */
    private static String grants(JsonObject account) {
        return account.getArray("grants").stream().map(JsonObject.class::cast).map(grant -> grant.getString("role") + named(grant, " for ", "tenants") + named(grant, " at ", "sites"))
                .collect(Collectors.joining(", "));
    }

    private static String named(JsonObject grant, String preposition, String field) {
        return grant.isNull(field) ? "" : preposition + (grant.getArray(field).isEmpty() ? "none" : String.join(" and ", grant.getArray(field).stream().map(Object::toString).sorted().toList()));
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Removes an account; what it has done keeps its name.",
            footer = {"", "Examples:", "  rilvan people remove anna"})
    int remove(@Parameters(paramLabel = "NAME") String name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", PEOPLE + "/" + Texts.escape(name), null, null);
        output.done(Map.of("removed", name), name + " is removed");
        return 0;
    }

    @Command(name = "password", mixinStandardHelpOptions = true, description = {"Changes your own password, or that of another person. Their other sign-ins end.",
        "A password has at least 12 characters; a sentence is a good one."},
            footer = {"", "Examples:", "  rilvan people password", "  rilvan people password anna"})
    int password(@Parameters(arity = "0..1", paramLabel = "NAME", description = "Another person") Optional<String> name,
            @Option(names = "--present-file", paramLabel = "FILE", description = "Where your present password is; asked for otherwise") String presentFile,
            @Option(names = "--password-file", paramLabel = "FILE", description = "Where the new password is; asked for otherwise (- for standard input)") String passwordFile, @Mixin Output output) throws IOException {
        Server server = Server.signedIn();
        JsonStringWriter body = JsonWriter.string().object();
        if (name.isEmpty()) {
            body.value("present", SignIn.password(presentFile, "Present password"));
        }
        body.value("password", SignIn.password(passwordFile, "New password"));
        server.text("PUT", name.map(other -> PEOPLE + "/" + Texts.escape(other) + "/password").orElse("/api/v1/me/password"), body.end().done(), Documents.JSON);
        output.done(Map.of("changed", "password"), "the password is changed");
        return 0;
    }

    @Command(name = "tokens", mixinStandardHelpOptions = true, description = "Where you, or another account, are signed in.",
            footer = {"", "Examples:", "  rilvan people tokens", "  rilvan people tokens billing"})
    int tokens(@Parameters(arity = "0..1", paramLabel = "NAME", description = "Another account") Optional<String> name, @Mixin ListOutput output) throws IOException {
        JsonArray tokens = Server.signedIn().list(tokensOf(name));
        output.list(tokens, List.of("ID", "KIND", "FOR", "ROLES", "FROM", "SINCE", "LAST USED", "UNTIL"), token -> List.of(Long.toString(token.getLong("id")), word(token, "kind"), token.getString("label"),
                token.getArray("roles").isEmpty() ? "all of the account" : Texts.join(token.getArray("roles")), token.getString("address"), Texts.time(token.getString("createdAt")),
                token.getString("usedAt") == null ? "never" : Texts.time(token.getString("usedAt")), Texts.time(token.getString("expires"))));
        return 0;
    }

    private static String tokensOf(Optional<String> name) {
        return name.map(other -> PEOPLE + "/" + Texts.escape(other) + "/tokens").orElse("/api/v1/me/tokens");
    }

    @Command(name = "token", mixinStandardHelpOptions = true, description = "Makes a token for a program, and shows it this once. The program gives it in the variable RILVAN_TOKEN, or in the header Authorization: Bearer TOKEN.",
            footer = {"", "Examples:", "  rilvan people token billing --label 'orders from billing' --days 90"})
    int token(@Parameters(paramLabel = "PROGRAM") String name, @Option(names = "--label", required = true, paramLabel = "TEXT", description = "What it is for") String label,
            @Option(names = "--days", required = true, paramLabel = "NUMBER", description = "How long it is valid, 1 to 366") int days,
            @Option(names = "--roles", split = ",", paramLabel = "ROLE", description = "What it may be used for; by itself all that the program may do") List<String> roles,
            @Mixin Output output) throws IOException {
        JsonObject token = Server.signedIn().object("POST", tokensOf(Optional.of(name)), JsonWriter.string().object().value("label", label).value("days", days)
                .array("roles", roles == null ? List.of() : roles).end().done(), Documents.JSON);
        if (!output.asJson(token)) {
            Terminal.say(token.getString("token"));
            Terminal.say(Terminal.in(Terminal.Tone.QUIET, "token " + token.getLong("id") + " of " + name + ", until " + Texts.time(token.getString("expires")) + "; it is not shown again"));
        }
        return 0;
    }

    @Command(name = "end-token", mixinStandardHelpOptions = true, description = "Ends a sign-in or a token, at once: one of your own, or of another account.",
            footer = {"", "Examples:", "  rilvan people end-token 12", "  rilvan people end-token 12 --of billing"})
    int endToken(@Parameters(paramLabel = "ID") long id, @Option(names = "--of", paramLabel = "NAME", description = "Another account") Optional<String> name, @Mixin Output output) throws IOException {
        Server.signedIn().text("DELETE", tokensOf(name) + "/" + id, null, null);
        output.done(Map.of("ended", id), "token " + id + " is ended");
        return 0;
    }

    private static String word(JsonObject object, String field) {
        return object.getString(field).toLowerCase(Locale.ROOT).replace('_', '-');
    }
}
