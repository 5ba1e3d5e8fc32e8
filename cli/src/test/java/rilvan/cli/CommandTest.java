package rilvan.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import picocli.CommandLine;

class CommandTest {

    private static final Pattern COMMAND = Pattern.compile("(?m)^ {4}(?:\\./)?rilvan ([^#\\n]*[^#\\s])");
    private static final Pattern WORD = Pattern.compile("'[^']*'|\"[^\"]*\"|\\S+");

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

    /** Lines of the documentation that a reader would type; {@code kit} and {@code admin} are programs of their own. */
    @Test
    void everyCommandOfTheDocumentationIsUnderstood() throws IOException {
        List<String> commands = new ArrayList<>();
        try (Stream<Path> pages = Files.walk(Path.of("../docs"))) {
            for (Path page : Stream.concat(Stream.of(Path.of("../README.md")), pages.filter(each -> each.toString().endsWith(".md"))).toList()) {
                COMMAND.matcher(Files.readString(page)).results().map(found -> found.group(1)).filter(line -> !line.matches("(kit|admin) .*|.*[|…].*")).forEach(commands::add);
            }
        }
        assertThat(commands).hasSizeGreaterThan(20).allSatisfy(command -> {
            List<String> words = WORD.matcher(command).results().map(found -> found.group().replace("\"", "").replace("'", "")).toList();
            assertThat(Rilvan.commandLine().parseArgs(words.toArray(String[]::new)).errors()).isEmpty();
        });
    }

    /** Each command and each option is known to each shell that can be told. */
    @Test
    void shellsKnowEveryCommand() throws Exception {
        CommandLine rilvan = Rilvan.commandLine();
        String fish = FishCompletion.of(rilvan);
        String bash = picocli.AutoComplete.bash("rilvan", rilvan);
        rilvan.getSubcommands().forEach((noun, below) -> {
            assertThat(fish).contains("-a " + noun + " ");
            below.getSubcommands().forEach((verb, command) -> {
                assertThat(fish).contains(" " + noun + "; and not ", "-a " + verb + " ");
                command.getCommandSpec().options().forEach(option -> assertThat(bash).contains(option.longestName()));
            });
        });
        Path script = Files.writeString(Files.createTempFile(Path.of("target"), "completion", ".bash"), bash);
        assertThat(new ProcessBuilder("bash", "-n", script.toString()).inheritIO().start().waitFor()).isZero();
        Files.delete(script);
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
