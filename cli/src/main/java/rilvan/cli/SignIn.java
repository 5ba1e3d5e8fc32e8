package rilvan.cli;

import com.grack.nanojson.JsonWriter;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(name = "sign-in", mixinStandardHelpOptions = true, description = "Signs in and remembers it for the other commands.",
        footer = {"", "Examples:", "  rilvan sign-in --user anna", "  rilvan sign-in --profile lab --server https://lab.example.net --user anna --password-file -"})
final class SignIn implements Callable<Integer> {

    @Option(names = "--server", paramLabel = "URL", description = "The service (default: that of the profile, RILVAN_SERVER, or http://127.0.0.1:8840)")
    private Optional<String> server;

    @Option(names = "--profile", paramLabel = "NAME", description = "A name of yours for this service, where you work with several (default: RILVAN_PROFILE)")
    private Optional<String> profile;

    @Option(names = "--user", required = true, paramLabel = "NAME", description = "Who you are")
    private String user;

    @Option(names = "--password-file", paramLabel = "FILE", description = "Where the password is; asked for otherwise (- for standard input)")
    private String passwordFile;

    @Option(names = "--ca", paramLabel = "FILE", description = "The certificates of who has signed that of the service, as PEM, where that is an authority of your own (default: RILVAN_CA)")
    private Optional<Path> authority;

    @Mixin
    private Output output;

    @Override
    public Integer call() throws Exception {
        Profile kept = profile.map(Profile::new).orElseGet(Profile::present);
        // A profile is a service: who signs in to it again means the same one.
        Optional<Profile.Session> before = kept.name().isEmpty() ? Optional.empty() : kept.session();
        String address = server.or(() -> before.map(Profile.Session::server)).orElseGet(Server::defaultAddress);
        String password = password(passwordFile, "Password of " + user);
        Server anonymous = Server.anonymous(address, authority.or(() -> before.filter(session -> session.server().equals(address)).flatMap(Profile.Session::authority)));
        String body = JsonWriter.string().object().value("user", user).value("password", password).end().done();
        anonymous.keep(anonymous.object("POST", "/api/v1/tokens", body, Documents.JSON).getString("token"), kept);
        output.done(Map.of("server", address, "user", user, "profile", kept.name()), "signed in to " + address + " as " + user + (kept.name().isEmpty() ? "" : "; RILVAN_PROFILE=" + kept.name() + " works with it"));
        return 0;
    }

    /** A password from a file, or from the terminal. */
    static String password(String file, String question) throws IOException {
        if (file != null) {
            return Documents.read(file).strip();
        }
        if (System.console() == null) {
            throw new Failure(Failure.USAGE, "there is no terminal to ask for the password; use --password-file");
        }
        return new String(System.console().readPassword("%s: ", question));
    }
}
