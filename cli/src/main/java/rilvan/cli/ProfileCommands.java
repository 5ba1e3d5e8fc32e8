package rilvan.cli;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import java.io.IOException;
import java.util.List;
import java.util.Map;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

@Command(name = "profile", mixinStandardHelpOptions = true, description = {"Several services, each with a sign-in of its own, under names of yours.",
    "sign-in --profile NAME makes one; the variable RILVAN_PROFILE says which one the commands work with."},
        footer = {"", "Examples:", "  rilvan sign-in --profile lab --server https://lab.example.net --user anna", "  RILVAN_PROFILE=lab rilvan device list"})
final class ProfileCommands {

    @Command(name = "list", mixinStandardHelpOptions = true, description = "Lists the services that were signed in to; the one that commands work with now is marked.",
            footer = {"", "Examples:", "  rilvan profile list"})
    int list(@Mixin ListOutput output) throws IOException {
        JsonArray profiles = new JsonArray();
        Profile present = Profile.present();
        Profile.all().forEach(profile -> {
            JsonObject shown = new JsonObject();
            shown.put("name", profile.name());
            shown.put("server", profile.session().map(Profile.Session::server).orElse(""));
            shown.put("present", profile.equals(present));
            profiles.add(shown);
        });
        output.list(profiles, List.of("NAME", "SERVER", "NOW"), profile -> List.of(profile.getString("name").isEmpty() ? "-" : profile.getString("name"), profile.getString("server"),
                profile.getBoolean("present") ? "yes" : ""));
        return 0;
    }

    @Command(name = "remove", mixinStandardHelpOptions = true, description = "Forgets a service and its sign-in here; the token is valid until it expires or is ended (people end-token).",
            footer = {"", "Examples:", "  rilvan profile remove lab"})
    int remove(@Parameters(paramLabel = "NAME", description = "A profile; - for the one without a name") String name, @Mixin Output output) throws IOException {
        Profile profile = new Profile(name.equals("-") ? "" : name);
        if (!profile.remove()) {
            throw new Failure(Failure.REFUSED, "there is no profile named '" + name + "'; see rilvan profile list");
        }
        output.done(Map.of("removed", profile.name()), profile.inWords() + " is removed");
        return 0;
    }
}
