package rilvan.cli;

import java.io.IOException;
import java.nio.file.Path;
import java.util.Map;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

@Command(name = "files", mixinStandardHelpOptions = true, description = "Writes the wanted state as files, for reading and for version control.")
final class FilesCommands {

    @Command(name = "write", mixinStandardHelpOptions = true, description = {"Writes what is wanted of tenants, services and models into a folder: tenants.yaml, services/NAME.yaml, and below models what is in force.",
        "A folder that was written before is brought to what is now; what else is in it stays. Secrets are out of sight."},
            footer = {"", "Examples:", "  rilvan files write skerra"})
    int write(@Parameters(paramLabel = "FOLDER", description = "New, empty, or written before") Path folder, @Mixin Output output) throws IOException {
        Map<String, String> files = StateFolder.present();
        new StateFolder(folder).write(files);
        long services = files.keySet().stream().filter(path -> path.startsWith(StateFolder.SERVICES)).count();
        output.done(Map.of("folder", folder.toString(), "files", files.size(), "services", services), files.size() + " files are in " + folder + ", " + services + " of them of services");
        return 0;
    }
}
