package rilvan.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import picocli.CommandLine;

class CommandTest {

    @Test
    void everyCommandHasHelpThatSaysWhatItDoes() {
        List<String> silent = new ArrayList<>();
        check(Rilvan.commandLine(), silent);
        assertThat(silent).isEmpty();
    }

    private static void check(CommandLine command, List<String> silent) {
        if (command.getCommandSpec().usageMessage().description().length == 0) {
            silent.add(command.getCommandSpec().qualifiedName());
        }
        command.getCommandSpec().args().stream().filter(argument -> argument.isOption() && argument.description().length == 0)
                .forEach(argument -> silent.add(command.getCommandSpec().qualifiedName() + " " + argument.paramLabel()));
        command.getSubcommands().values().forEach(below -> check(below, silent));
    }

    @Test
    void wrongUsageIsToldApartFromOtherFailures() {
        CommandLine command = Rilvan.commandLine().setErr(new PrintWriter(new StringWriter()));
        assertThat(command.execute("order", "rnu", "file")).isEqualTo(2);
        assertThat(command.execute("order", "run")).isEqualTo(2);
        assertThat(command.execute("lab", "refuse", "haven-pe1", "nothing")).isEqualTo(2);
        assertThat(command.execute("order", "run", "no such file")).isEqualTo(Failure.REFUSED);
    }
}
