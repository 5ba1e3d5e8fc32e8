package rilvan.cli;

import java.util.Map;
import java.util.TreeMap;
import picocli.CommandLine;
import picocli.CommandLine.Model.OptionSpec;

/** The commands and options as the shell fish is told of them, one line each. */
final class FishCompletion {

    private FishCompletion() {}

    static String of(CommandLine rilvan) {
        StringBuilder lines = new StringBuilder("# Completion of rilvan for fish.\ncomplete -c rilvan -f\n");
        Map<String, CommandLine> nouns = new TreeMap<>(rilvan.getSubcommands());
        nouns.forEach((noun, below) -> {
            lines.append(line("__fish_use_subcommand", "-a " + noun, below));
            Map<String, CommandLine> verbs = new TreeMap<>(below.getSubcommands());
            String seen = "'__fish_seen_subcommand_from " + noun + "'";
            if (verbs.isEmpty()) {
                options(lines, seen, below);
            }
            verbs.forEach((verb, command) -> {
                lines.append(line("'__fish_seen_subcommand_from " + noun + "; and not __fish_seen_subcommand_from " + String.join(" ", verbs.keySet()) + "'", "-a " + verb, command));
                options(lines, "'__fish_seen_subcommand_from " + noun + "; and __fish_seen_subcommand_from " + verb + "'", command);
            });
        });
        return lines.toString();
    }

    private static void options(StringBuilder lines, String where, CommandLine command) {
        for (OptionSpec option : command.getCommandSpec().options()) {
            lines.append("complete -c rilvan -n ").append(where).append(" -l ").append(option.longestName().replaceFirst("^--?", "")).append(option.arity().max() > 0 ? " -r" : "")
                    .append(" -d ").append(quoted(option.description())).append('\n');
        }
    }

    private static String line(String where, String what, CommandLine command) {
        return "complete -c rilvan -n " + where + " " + what + " -d " + quoted(command.getCommandSpec().usageMessage().description()) + "\n";
    }

    /** The first sentence of a description, in the quotes of fish. */
    private static String quoted(String... description) {
        String first = description.length == 0 ? "" : description[0].replaceAll("\\. .*|\\.$", "").replace("%n", " ");
        return "'" + first.replace("\\", "\\\\").replace("'", "\\'") + "'";
    }
}
