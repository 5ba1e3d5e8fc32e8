package rilvan.kit;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** The authoring command: makes a dialect's schema table from its YANG modules. */
@Command(name = "kit", mixinStandardHelpOptions = true,
        description = "Makes the schema table of a dialect from the YANG modules in its folder yang/.")
public final class Kit implements Callable<Integer> {

    @Parameters(paramLabel = "FOLDER", description = "The dialect's folder, such as models/dialects/quern")
    private Path folder;

    public static void main(String[] args) {
        System.exit(new CommandLine(new Kit()).execute(args));
    }

    @Override
    public Integer call() throws Exception {
        Path table = folder.resolve("schema.table");
        Files.writeString(table, SchemaTableWriter.write(folder.resolve("yang")));
        System.out.println("wrote " + table);
        return 0;
    }
}
