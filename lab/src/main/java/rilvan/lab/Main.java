package rilvan.lab;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Starts a lab and runs it until it is told to stop. */
@Command(name = "lab", mixinStandardHelpOptions = true, description = "Runs the simulated network until it is stopped.")
public final class Main implements Callable<Integer> {

    @Option(names = "--network", required = true, paramLabel = "FILE", description = "Devices and links")
    private Path network;

    @Option(names = "--starts", required = true, paramLabel = "FOLDER", description = "What devices hold when first switched on")
    private Path starts;

    @Option(names = "--families", required = true, paramLabel = "FOLDER", description = "What devices of each family take, a folder each")
    private Path families;

    @Option(names = "--state", required = true, paramLabel = "FOLDER", description = "Host keys and saved configurations")
    private Path state;

    @Option(names = "--user", defaultValue = "rilvan", description = "Who may sign in to the devices (default: ${DEFAULT-VALUE})")
    private String user;

    @Option(names = "--password-file", required = true, paramLabel = "FILE", description = "The password for that")
    private Path passwordFile;

    @Option(names = "--control-port", defaultValue = "8831", description = "Port of the lab's own interface (default: ${DEFAULT-VALUE})")
    private int controlPort;

    @Option(names = "--answer-millis", defaultValue = "5", description = "How long a device takes to answer (default: ${DEFAULT-VALUE})")
    private long answerMillis;

    @Option(names = "--converge-millis", defaultValue = "150",
            description = "How long a change takes to show in what the network does (default: ${DEFAULT-VALUE})")
    private long convergeMillis;

    public static void main(String[] args) {
        int code = new CommandLine(new Main()).execute(args);
        if (code != 0) {
            System.exit(code);
        }
    }

    @Override
    public Integer call() throws Exception {
        Lab lab = new Lab(new Lab.Setup(network, starts, families, state, user, Files.readString(passwordFile).strip(), answerMillis,
                convergeMillis));
        Control control = new Control(lab, controlPort);
        System.gc();
        long held = Runtime.getRuntime().totalMemory() - Runtime.getRuntime().freeMemory();
        System.out.println("the lab runs " + lab.devices().size() + " devices, " + held / 1024 / lab.devices().size() + " KiB of memory each; its own interface is on port "
                + control.port());
        return 0;
    }
}
