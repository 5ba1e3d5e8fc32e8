package rilvan.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import picocli.CommandLine;

class CommandTest {

    private static final Pattern COMMAND = Pattern.compile("(?m)^ {4}(?:\\./)?rilvan ([^#\\n]*[^#\\s])");
    private static final Pattern WORD = Pattern.compile("'[^']*'|\"[^\"]*\"|\\S+");

    private final CommandLine rilvan = Rilvan.commandLine();

    @Test
    void everyCommandHasHelpThatSaysWhatItDoes() {
        List<String> silent = new ArrayList<>();
        check(rilvan, silent);
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

    private static Stream<CommandLine> leaves(CommandLine command) {
        return command.getSubcommands().isEmpty() ? Stream.of(command).filter(leaf -> !(leaf.getCommand() instanceof CommandLine.HelpCommand))
                : command.getSubcommands().values().stream().flatMap(CommandTest::leaves);
    }

    /** Of its own, which is understood. */
    @Test
    void everyCommandHasAnExample() {
        assertThat(leaves(rilvan).toList()).hasSizeGreaterThan(80).allSatisfy(leaf -> {
            String name = leaf.getCommandSpec().qualifiedName();
            List<String> examples = Stream.of(leaf.getCommandSpec().usageMessage().footer()).map(String::strip).filter(line -> line.matches(".*\\b" + name + "\\b.*")).toList();
            assertThat(examples).as(name).isNotEmpty();
            examples.stream().filter(line -> line.startsWith(name) && !line.contains(">")).forEach(line -> assertThat(rilvan.parseArgs(words(line.substring(7)).toArray(String[]::new)).errors()).isEmpty());
        });
    }

    /** For programs; but for what is text by its nature, and the lab, which is a toy for people. */
    @Test
    void everyCommandHasAnAnswerForPrograms() {
        assertThat(leaves(rilvan).filter(leaf -> leaf.getCommandSpec().findOption("--json") == null).map(leaf -> leaf.getCommandSpec().qualifiedName())
                .filter(name -> !name.startsWith("rilvan lab "))).containsExactlyInAnyOrder("rilvan completion", "rilvan log export");
    }

    /** A page of the manual says what {@code --help} says, in the language of man(7). */
    @Test
    void everyCommandHasAPageOfTheManual() {
        Map<String, String> pages = ManualPages.of(rilvan);
        leaves(rilvan).forEach(leaf -> {
            String page = pages.get(leaf.getCommandSpec().qualifiedName("-"));
            assertThat(page).as(leaf.getCommandSpec().qualifiedName()).startsWith(".TH ").contains("\n.SH NAME\n", "\n.SH SYNOPSIS\n", "\n.SH DESCRIPTION\n", "\n.SH EXAMPLES\n", "\n.SH SEE ALSO\n");
            leaf.getCommandSpec().options().forEach(option -> assertThat(page).contains(option.longestName().replace("-", "\\-")));
            assertThat(page.lines().filter(line -> line.startsWith("."))).allMatch(line -> line.matches("\\.(TH|SH|TP|PP|BR|B|nf|fi)( .*)?"));
        });
        assertThat(pages.get("rilvan")).contains("rilvan\\-order", ".SH ENVIRONMENT", "RILVAN_TOKEN", "Exit codes");
    }

    private static List<String> words(String command) {
        return WORD.matcher(command).results().map(found -> found.group().replace("\"", "").replace("'", "")).toList();
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
            assertThat(rilvan.parseArgs(words(command).toArray(String[]::new)).errors()).isEmpty();
        });
    }

    /** Each command and each option is known to each shell that can be told. */
    @Test
    void shellsKnowEveryCommand() throws Exception {
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
