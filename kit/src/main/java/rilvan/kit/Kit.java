package rilvan.kit;

import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.HelpCommand;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import rilvan.core.catalog.Catalog;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;
import rilvan.core.model.ServiceModel;
import rilvan.core.table.Mapping;
import rilvan.core.table.Table;
import rilvan.core.table.TableServices;

/** The authoring commands: they work on a folder of models and dialects, without a service running. */
@Command(name = "kit", mixinStandardHelpOptions = true, synopsisSubcommandLabel = "COMMAND",
        description = "For authors of service models and dialects; works on files, without a service running.",
        footer = {"", "Exit codes: 0 done, 2 wrong usage, 3 refused (the answer says what to correct).", "",
            "Examples:", "  rilvan kit new models/services/my-service", "  rilvan kit check",
            "  rilvan kit try models/services/l3vpn/examples/tidewater-clinics.yaml",
            "  rilvan kit schema models/dialects/quern"},
        subcommands = HelpCommand.class)
public final class Kit {

    private static final int REFUSED = 3;

    /** Where models and dialects are. */
    static class Folder {
        @Option(names = "--models", paramLabel = "FOLDER", defaultValue = "models",
                description = "Vocabulary, services and dialects (default: ${DEFAULT-VALUE})")
        private Path models;

        Path models() {
            return models;
        }
    }

    /** A network in files, and what its devices hold. */
    static final class NetworkInFiles extends Folder {
        @Option(names = "--network", paramLabel = "FILE", description = "The network (default: demo/network.yaml of the models)")
        private Path network;

        @Option(names = "--devices", paramLabel = "FOLDER", description = "What each device holds (default: the folder devices next to the network)")
        private Path devices;

        /** With all orders but the last done. */
        private Trial before(List<Path> orders) throws IOException {
            Path document = network == null ? super.models.resolve("demo/network.yaml") : network;
            Trial trial = Trial.of(Catalog.read(super.models), document, devices == null ? document.resolveSibling("devices") : devices);
            for (Path earlier : orders.subList(0, orders.size() - 1)) {
                trial.done(Files.readString(earlier));
            }
            return trial;
        }
    }

    public static void main(String[] args) {
        System.exit(commandLine().execute(args));
    }

    static CommandLine commandLine() {
        return new CommandLine(new Kit()).setExecutionExceptionHandler((failure, command, parsed) -> {
            if (failure instanceof ValidationFailure refused) {
                refused.problems().forEach(problem -> command.getErr().println(problem));
                return REFUSED;
            }
            if (failure instanceof Document.Malformed || failure instanceof SchemaTableWriter.UnsupportedModule || failure instanceof IOException) {
                command.getErr().println(failure instanceof java.nio.file.NoSuchFileException missing ? "there is no file " + missing.getFile()
                        : failure.getMessage());
                return REFUSED;
            }
            throw failure;
        });
    }

    @CommandLine.Spec
    private CommandLine.Model.CommandSpec spec;

    private void say(String text) {
        spec.commandLine().getOut().println(text);
        spec.commandLine().getOut().flush();
    }

    @Command(name = "new", mixinStandardHelpOptions = true,
            description = "Starts a service model: a folder with a model that checks, an example of it, and a test table.")
    int start(@Parameters(paramLabel = "FOLDER", description = "Such as models/services/my-service; its last name is the model's") Path folder)
            throws IOException {
        Scaffold.write(folder);
        say("started " + folder + "; edit " + folder.resolve("model.yaml") + ", then: rilvan kit check");
        return 0;
    }

    @Command(name = "check", mixinStandardHelpOptions = true,
            description = "Reads every model and dialect and says what is wrong in them, with file, line and column; warns of what no check of a model sees.")
    int check(@Mixin Folder folder) throws IOException {
        Catalog catalog = Catalog.read(folder.models);
        say("all is well: " + catalog.models().size() + " service models, " + catalog.dialects().size() + " dialects, "
                + catalog.vocabulary().clauses().size() + " clauses");
        catalog.models().forEach((name, model) -> {
            Set<String> unchecked = model.unchecked(catalog.vocabulary());
            if (!unchecked.isEmpty()) {
                say("warning: no check of " + name + " fails where one of these is wrong on a device: " + String.join(", ", unchecked));
            }
        });
        return 0;
    }

    @Command(name = "try", mixinStandardHelpOptions = true,
            description = "Works an order out against a network in files: its clauses, what each device gets, and what is checked. Of several "
                    + "orders, all but the last are taken as done.")
    int attempt(@Parameters(arity = "1..*", paramLabel = "ORDER") List<Path> orders, @Mixin NetworkInFiles network) throws IOException {
        Trial trial = network.before(orders);
        say(trial.told(trial.plan(Files.readString(orders.get(orders.size() - 1)))));
        return 0;
    }

    @Command(name = "table", mixinStandardHelpOptions = true,
            description = {"Makes an order of a table (CSV): one row a service, or one row an item of a list of a service, such as a site.",
                "Columns are taken for what their headings seem to say, which is told; --mapping-to writes it into a file, to be corrected and given with --mapping.",
                "What is wrong is told by line and column. Exits with 1 where only the good services are in the order."},
            footer = {"", "Example:", "  rilvan kit table sites.csv --model l3vpn --always 'tenant=Tidewater Clinics' | rilvan order preview -"})
    int table(@Parameters(paramLabel = "TABLE") Path file, @Mixin NetworkInFiles network, @Option(names = "--model", required = true, paramLabel = "MODEL", description = "What services the table has") String name,
            @Option(names = "--mapping", paramLabel = "FILE", description = "What the columns say") Path given,
            @Option(names = "--always", paramLabel = "TARGET=VALUE", description = "What is so where no column says it, such as tenant=NAME; repeated for several") Map<String, String> always,
            @Option(names = "--mapping-to", paramLabel = "FILE", description = "Writes what the columns are taken for, and no order") Path keep,
            @Option(names = "--good", description = "An order of the services of which no cell is wrong") boolean good,
            @Option(names = "--try", description = "Works the order out against the network in files as well, and tells what is refused by line and column") boolean attempt) throws IOException {
        ServiceModel model = Catalog.read(network.models()).model(name, Optional.empty()).orElseThrow(() -> new ValidationFailure("", "there is no service model named '" + name + "'"));
        Table table = Table.read(Files.readAllBytes(file));
        Mapping mapping = given == null ? Mapping.guessed(table.headings(), new LinkedHashMap<>(always == null ? Map.of() : always), model) : Mapping.read(Document.read(Files.readString(given)), table.headings(), model);
        PrintWriter beside = spec.commandLine().getErr();
        table.headings().forEach(heading -> beside.println(heading + ": " + mapping.columns().getOrDefault(heading, "passed over")));
        if (keep != null) {
            Files.writeString(keep, Document.written(mapping.written()));
            say("wrote " + keep);
            return 0;
        }
        TableServices services = TableServices.of(table, mapping, model);
        services.faults().forEach(beside::println);
        beside.flush();
        if (!services.faults().isEmpty() && !good) {
            return REFUSED;
        }
        String order = Document.written(services.order("From " + file.getFileName())).stripTrailing();
        if (attempt) {
            try {
                network.before(List.of(file)).plan(order);
            } catch (ValidationFailure refused) {
                refused.problems().forEach(problem -> beside.println(services.fault(problem).map(Object::toString).orElse(problem.toString())));
                beside.flush();
                return REFUSED;
            }
        }
        say(order);
        return services.faults().isEmpty() ? 0 : 1;
    }

    @Command(name = "rules", mixinStandardHelpOptions = true,
            description = {"Holds the rules of models over an order, each whatever others say: how often each is used, and what it refuses.",
                "Of several orders, all but the last are taken as done."},
            footer = {"", "Example:", "  rilvan kit rules models/services/l3vpn/examples/northsound-ferries.yaml --only 22"})
    int rules(@Parameters(arity = "1..*", paramLabel = "ORDER") List<Path> orders, @Mixin NetworkInFiles network,
            @Option(names = "--only", paramLabel = "NUMBER", description = "Just this rule: its place under require in the model, from 0") Integer only) throws IOException {
        say(network.before(orders).rules(Files.readString(orders.get(orders.size() - 1)), Optional.ofNullable(only)));
        return 0;
    }

    @Command(name = "test", mixinStandardHelpOptions = true,
            description = "Runs the tests of service models; exits with 1 where one fails.")
    int test(@Parameters(arity = "1..*", paramLabel = "FOLDER", description = "Such as models/services/l3vpn") List<Path> services,
            @Mixin Folder folder,
            @Option(names = "--accept", description = "What comes out is what is expected from now on") boolean accept) throws IOException {
        Catalog catalog = Catalog.read(folder.models);
        int failed = 0;
        int passed = 0;
        for (Path service : services) {
            for (ModelTests.Outcome outcome : new ModelTests(catalog, folder.models, service).run(accept)) {
                if (!outcome.passed()) {
                    say(service.getFileName() + ": " + outcome.test() + " " + outcome.failure());
                    failed++;
                } else {
                    passed++;
                }
            }
        }
        say(passed + " as expected, " + failed + " otherwise");
        return failed == 0 ? 0 : 1;
    }

    @Command(name = "vary", mixinStandardHelpOptions = true,
            description = {"Tries other parameters than those of a model's examples, by chance. Most are refused by a rule or can be done; what fails for a reason of the",
                "model's or a dialect's own is said, with an order that shows it. Exits with 1 where anything does."})
    int vary(@Parameters(arity = "1..*", paramLabel = "FOLDER", description = "Such as models/services/l3vpn") List<Path> services, @Mixin Folder folder,
            @Option(names = "--count", paramLabel = "NUMBER", defaultValue = "1000", description = "Orders for each model (default: ${DEFAULT-VALUE})") int count,
            @Option(names = "--seed", paramLabel = "NUMBER", description = "Tries the same orders again") Long seed) throws IOException {
        Catalog catalog = Catalog.read(folder.models);
        long begin = seed == null ? System.nanoTime() : seed;
        int faults = 0;
        for (Path service : services) {
            for (Map.Entry<String, String> fault : new ModelTests(catalog, folder.models, service).vary(count, new Random(begin)).entrySet()) {
                say(service.getFileName() + ": " + fault.getKey() + "\n  " + fault.getValue());
                faults++;
            }
        }
        say(count + " orders for each model, seed " + begin + ": " + (faults == 0 ? "none" : faults) + " failed for a reason of its own");
        return faults == 0 ? 0 : 1;
    }

    @Command(name = "page", mixinStandardHelpOptions = true,
            description = "Writes the page of documentation of service models: parameters, rules, and what they put on devices.")
    int page(@Parameters(arity = "1..*", paramLabel = "FOLDER", description = "Such as models/services/l3vpn") List<Path> services,
            @Mixin Folder folder) throws IOException {
        Catalog catalog = Catalog.read(folder.models);
        for (Path service : services) {
            Path page = service.resolve("README.md");
            Files.writeString(page, ModelPage.of(catalog, service));
            say("wrote " + page);
        }
        return 0;
    }

    @Command(name = "archipelago", mixinStandardHelpOptions = true,
            description = {"Makes a network of any size for the lab: provider edges of all shipped families on a ring.",
                "Writes network.yaml, devices/ and, where there is none, tenants.yaml into the folder, as models/demo has them."},
            footer = {"", "Example:", "  cp -r models wide && rm -r wide/demo && rilvan kit archipelago --devices 1000 wide/demo && ./demo --models wide"})
    int archipelago(@Option(names = "--devices", required = true, paramLabel = "NUMBER", description = "3 to 32000") int devices,
            @Option(names = "--ports", paramLabel = "NUMBER", defaultValue = "4", description = "Ports for customers on each (default: ${DEFAULT-VALUE})") int ports,
            @Parameters(paramLabel = "FOLDER") Path folder) throws IOException {
        if (devices < 3 || devices > 32_000 || ports < 0 || ports > 1000) {
            throw new CommandLine.ParameterException(spec.commandLine(), "a network has 3 to 32000 devices, each with 0 to 1000 ports");
        }
        new Archipelago(devices, ports).write(folder);
        say("wrote " + folder + ": " + devices + " devices on a ring");
        return 0;
    }

    @Command(name = "schema", mixinStandardHelpOptions = true,
            description = "Makes the schema table of a dialect from the YANG modules in its folder yang/.")
    int schema(@Parameters(paramLabel = "FOLDER", description = "Such as models/dialects/quern") Path folder) throws Exception {
        Path table = folder.resolve("schema.table");
        String text = SchemaTableWriter.write(folder.resolve("yang"));
        Files.writeString(table, text);
        say("wrote " + table);
        text.lines().filter(line -> line.startsWith(SchemaTableWriter.LEFT)).forEach(line -> say(line.substring(2)));
        return 0;
    }
}
