package rilvan.cli;

import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.HelpCommand;

/** The command: nouns, then verbs. */
@Command(name = "rilvan", mixinStandardHelpOptions = true, version = "rilvan 0.1.0", synopsisSubcommandLabel = "NOUN VERB",
        description = "Puts network services on devices: shown first, whole or not at all, proven, and gone without a trace.",
        footer = {"", "Exit codes: 0 done, 1 the order was rolled back, 2 wrong usage, 3 refused (the answer says what to correct), 4 not reached or not signed in, 5 something is in the way, or has changed meanwhile.",
            "", "Examples:", "  rilvan order preview models/services/l3vpn/examples/tidewater-clinics.yaml",
            "  rilvan order run my-order.yaml", "  rilvan service show tidewater-clinics",
            "  rilvan kit try my-order.yaml        (for authors of models; needs no service)",
            "  rilvan admin backup FOLDER          (of an installation: its store and key; needs no service)"},
        subcommands = {SignIn.class, DeviceCommands.class, ServiceCommands.class, OrderCommands.class, ModelCommands.class,
            DraftCommands.class, AgreementCommands.class, FreezeCommands.class, EmergencyCommands.class, NetworkCommands.class, TenantCommands.class, PeopleCommands.class, ProfileCommands.class, FilesCommands.class, DiffCommand.class, ReportCommand.class, LogCommands.class, EventCommands.class, WebhookCommands.class, InstallationCommand.class, KeyCommands.class, LabCommands.class, Completion.class, ManualPages.class, HelpCommand.class})
public final class Rilvan {

    public static void main(String[] args) {
        System.exit(commandLine().execute(args));
    }

    static CommandLine commandLine() {
        return new CommandLine(new Rilvan()).setCaseInsensitiveEnumValuesAllowed(true).setExecutionStrategy(Rilvan::carryOut).setExecutionExceptionHandler((failure, command, parsed) -> {
            if (failure instanceof Failure told) {
                Terminal.complain(told.getMessage());
                return told.exitCode();
            }
            if (failure instanceof java.io.IOException) {
                Terminal.complain(failure.getMessage());
                return Failure.NOT_REACHED;
            }
            throw failure;
        });
    }

    private static int carryOut(CommandLine.ParseResult parsed) {
        CommandLine.ParseResult last = parsed;
        while (last.hasSubcommand()) {
            last = last.subcommand();
        }
        CommandLine.RunLast runs = new CommandLine.RunLast();
        String verb = last.commandSpec().name();
        return last.isUsageHelpRequested() ? runs.execute(parsed)
                : Pager.of(verb, Terminal.THERE, System.getenv()).map(pager -> Pager.through(pager, () -> runs.execute(parsed))).orElseGet(() -> runs.execute(parsed));
    }
}
