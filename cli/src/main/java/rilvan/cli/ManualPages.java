package rilvan.cli;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Help.Ansi;
import picocli.CommandLine.HelpCommand;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.ArgSpec;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Parameters;

/** The manual, a page a command, for the program man: from what the commands say of themselves, as {@code --help} is. */
@Command(name = "manual", mixinStandardHelpOptions = true, description = "Writes the pages of the manual into a folder, for the program man.",
        footer = {"", "Examples:", "  rilvan manual ~/.local/share/man/man1", "  man rilvan-order-run"})
final class ManualPages implements Callable<Integer> {

    private static final String SECTION = "1";
    private static final List<String[]> ENVIRONMENT = List.of(
            new String[] {"RILVAN_SERVER", "Where the service is; by itself http://127.0.0.1:8840."},
            new String[] {"RILVAN_PROFILE", "Which of several services the commands work with, by the name that sign-in gave it."},
            new String[] {"RILVAN_TOKEN", "A token of a program, which is used in the place of a sign-in."},
            new String[] {"RILVAN_CA", "A file with the certificates of who has signed that of the service."},
            new String[] {"RILVAN_SESSION", "Where the sign-in is kept; by itself ~/.config/rilvan/session, readable by its owner only."},
            new String[] {"RILVAN_PAGER, PAGER", "What shows long output on a terminal, page by page; by itself less. Nothing does where it is empty."},
            new String[] {"RILVAN_COLOR, NO_COLOR", "Colours are on where there is a terminal; always, also in a pipe, where RILVAN_COLOR is always; never where NO_COLOR is set."},
            new String[] {"TZ", "The time zone that times are shown in; --json has them in that of the service."});

    @Parameters(paramLabel = "FOLDER", description = "Where the pages go; made where it is missing")
    private Path folder;

    @Mixin
    private Output output;

    @Override
    public Integer call() throws IOException {
        Map<String, String> pages = of(Rilvan.commandLine());
        Files.createDirectories(folder);
        for (Map.Entry<String, String> page : pages.entrySet()) {
            Files.writeString(folder.resolve(page.getKey() + "." + SECTION), page.getValue());
        }
        output.done(Map.of("folder", folder.toString(), "pages", pages.size()), pages.size() + " pages in " + folder);
        return 0;
    }

    /** The pages by name, such as {@code rilvan-order-run}. */
    static Map<String, String> of(CommandLine rilvan) {
        Map<String, String> pages = new TreeMap<>();
        add(rilvan, pages);
        return pages;
    }

    private static void add(CommandLine command, Map<String, String> pages) {
        if (!(command.getCommand() instanceof HelpCommand)) {
            pages.put(name(command.getCommandSpec()), page(command));
            command.getSubcommands().values().forEach(below -> add(below, pages));
        }
    }

    private static String name(CommandSpec command) {
        return command.qualifiedName("-");
    }

    private static String page(CommandLine command) {
        CommandSpec spec = command.getCommandSpec();
        List<String> lines = new ArrayList<>();
        lines.add(".TH " + quoted(name(spec).toUpperCase(Locale.ROOT)) + " " + SECTION + " \"\" " + quoted(spec.root().version()[0]));
        List<String> description = sentences(spec.usageMessage().description());
        section(lines, "NAME", name(spec).replace("-", "\\-") + " \\- " + escaped(firstSentence(description.get(0))));
        section(lines, "SYNOPSIS", ".B " + escaped(spec.qualifiedName(" ")) + "\n" + escaped(command.getHelp().synopsis(0).strip().substring(spec.qualifiedName(" ").length()).replaceAll("\\s+", " ").strip()));
        section(lines, "DESCRIPTION", description.stream().map(ManualPages::escaped).collect(Collectors.joining("\n.PP\n")));
        listed(lines, "ARGUMENTS", spec.positionalParameters().stream().map(each -> item(each.paramLabel(), each)).toList());
        listed(lines, "OPTIONS", spec.options().stream().map(each -> item(names(each), each)).toList());
        listed(lines, "COMMANDS", command.getSubcommands().values().stream().filter(below -> !(below.getCommand() instanceof HelpCommand))
                .map(below -> ".TP\n.BR " + escaped(name(below.getCommandSpec())) + " (" + SECTION + ")\n" + escaped(firstSentence(sentences(below.getCommandSpec().usageMessage().description()).get(0)))).toList());
        footer(lines, spec);
        if (spec.parent() == null) {
            listed(lines, "ENVIRONMENT", ENVIRONMENT.stream().map(each -> ".TP\n.B " + escaped(each[0]) + "\n" + escaped(each[1])).toList());
        } else {
            section(lines, "SEE ALSO", ".BR " + escaped(name(spec.parent())) + " (" + SECTION + ")");
        }
        return String.join("\n", lines) + "\n";
    }

    /** Examples as they are typed; what else is said at the end of the help before them. */
    private static void footer(List<String> lines, CommandSpec spec) {
        List<String> said = Stream.of(spec.usageMessage().footer()).map(line -> line.replace("%n", "\n").replace("%%", "%")).filter(line -> !line.isBlank()).toList();
        int examples = said.indexOf("Examples:");
        List<String> before = said.subList(0, examples < 0 ? said.size() : examples);
        if (!before.isEmpty()) {
            section(lines, "NOTES", before.stream().map(ManualPages::escaped).collect(Collectors.joining("\n.PP\n")));
        }
        if (examples >= 0) {
            section(lines, "EXAMPLES", ".nf\n" + said.subList(examples + 1, said.size()).stream().map(line -> escaped(line.strip())).collect(Collectors.joining("\n")) + "\n.fi");
        }
    }

    private static String names(OptionSpec option) {
        return String.join(", ", option.names()) + (option.arity().max() > 0 ? " " + option.paramLabel() : "");
    }

    private static String item(String heading, ArgSpec argument) {
        String said = String.join(" ", sentences(argument.description()));
        return ".TP\n.B " + escaped(heading) + "\n" + (said.isEmpty() ? "\\&" : escaped(said));
    }

    private static List<String> sentences(String... description) {
        return description.length == 0 ? List.of("") : Stream.of(description).map(line -> Ansi.OFF.string(line.replace("%n", "\n").replace("%%", "%"))).toList();
    }

    private static String firstSentence(String description) {
        return description.replaceAll("\\. [A-Z].*|\\.$", "");
    }

    private static void section(List<String> lines, String heading, String text) {
        lines.add(".SH " + heading);
        lines.add(text);
    }

    private static void listed(List<String> lines, String heading, List<String> items) {
        if (!items.isEmpty()) {
            section(lines, heading, String.join("\n", items));
        }
    }

    private static String quoted(String text) {
        return "\"" + text.replace("-", "\\-").replace("\"", "\\(dq") + "\"";
    }

    /** As text of the page: what would be an escape or a request of its language is none. */
    private static String escaped(String text) {
        return text.replace("\\", "\\e").replace("-", "\\-").replaceAll("(?m)^(?=[.'])", "\\\\&");
    }
}
