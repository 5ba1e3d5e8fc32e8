package rilvan.core.dialect;

import dev.cel.common.types.MapType;
import dev.cel.common.types.SimpleType;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import java.util.regex.PatternSyntaxException;
import java.util.stream.Stream;
import rilvan.core.document.Document;
import rilvan.core.document.DocumentReader;
import rilvan.core.document.DocumentReader.Fields;
import rilvan.core.document.Folder;
import rilvan.core.document.ValidationFailure;
import rilvan.core.expression.Bindings;
import rilvan.core.expression.Scope;
import rilvan.core.model.Clause;
import rilvan.core.model.DeclaredSettings;
import rilvan.core.network.Device;
import rilvan.core.network.DeviceKind;
import rilvan.core.network.Network;
import rilvan.core.schema.SchemaTable;
import rilvan.core.schema.StatementTable;
import rilvan.core.schema.WholeEntries;
import rilvan.core.tree.Node;

/**
 * How one device family says each clause, and how it is looked at. Read from a folder of data; no family is known to any
 * class.
 *
 * @param version of its configuration's form: what was stored of devices in another version cannot be read with this one
 * @param confirmSeconds how long a device of the family waits for the confirmation of a commit before it rolls back; 0 where it
 *     has no confirmed commit
 * @param testsEdits whether its devices check a candidate within the edit, and not by a request of its own
 * @param notPending what a message of its devices says where no confirmed commit waits; absent where they answer with invalid-value
 * @param whole which entries belong to one service whole
 * @param named where the entries of a list stand that models refer to by name, by what the vocabulary calls them
 * @param settings what its templates read of settings
 * @param secrets where its native text contains secrets; absent where it has none
 * @param commandLine how its command line is spoken with; absent where it speaks NETCONF
 */
public record Dialect(String name, int version, String title, DeviceKind kind, Codec codec, int confirmSeconds, boolean testsEdits, Optional<Pattern> notPending, WholeEntries whole,
        Map<String, rilvan.core.tree.Path> named, DeclaredSettings settings, Optional<SecretText> secrets, Optional<CommandLine> commandLine, Map<String, Template> clauses, Map<String, Observation> observations) {

    /** What is said of a clause that the family's language does not express with these values, between the dialect's name and the clause. */
    public static final String CANNOT_SAY = " cannot say this ";

    /** The file of its folder that says which others there are. */
    public static final String MAIN = "dialect.yaml";

    /** The clause that says an engineer's own native text; every family can say it. */
    public static final String NATIVE = "native";

    /** What a clause says on a device, and the template that says it. */
    public record NativeFragment(Node tree, String template) {}

    /**
     * How the family is asked for an observation, and what its answer means.
     *
     * @param request the operation to call, made from the observation's values
     * @param names what of the answer {@code pass} and {@code value} may use; what is not found is empty
     * @param answer how it is found in the answer
     * @param last whether the answer will not change by waiting; absent where the family does not say
     * @param reports what else an answer says, by the vocabulary's names; it is compared with what another device says
     * @param way how the family is asked for the way that a packet takes; absent where nothing is sent, or it cannot tell
     */
    public record Observation(Template request, List<String> names, AnswerContent answer, Scope.Expression pass, Optional<Scope.Expression> last, Scope.Expression value,
            Map<String, Scope.Expression> reports, Optional<Way> way) {

        /**
         * The way that a packet takes.
         *
         * @param there the name of each device on the way there in an answer
         * @param back the same on the way back
         */
        public record Way(Template request, AnswerContent answer, String there, String back) {

            /** The devices on the way, in words. */
            public String read(String text) {
                Map<String, List<String>> values = answer.values(text);
                String home = String.join(" > ", values.getOrDefault(back, List.of()));
                return String.join(" > ", values.getOrDefault(there, List.of())) + (home.isEmpty() ? "" : ", and back " + home);
            }
        }

        /** What an answer says: whether it is as asked, whether waiting will not change that, the value that people read, and what else it reports by name. */
        public record Interpretation(boolean passed, boolean isFinal, String value, Map<String, String> reported) {}

        /** The values that were asked for, as expressions see them: by name, those of the far end as {@code to.NAME}. */
        private static final String REQUEST = "request";

        /**
         * Reads the content of an answer.
         *
         * @param request the values that were asked for
         */
        public Interpretation read(String text, Map<String, Object> request) {
            Map<String, Object> values = new LinkedHashMap<>();
            Map<String, List<String>> found = answer.values(text);
            names.forEach(name -> values.put(name, found.getOrDefault(name, List.of()).stream().findFirst().orElse("")));
            values.put(REQUEST, texts("", request));
            Bindings bindings = values::get;
            Map<String, String> reported = new LinkedHashMap<>();
            reports.forEach((name, expression) -> reported.put(name, (String) expression.evaluate(bindings)));
            return new Interpretation((Boolean) pass.evaluate(bindings), last.filter(each -> (Boolean) each.evaluate(bindings)).isPresent(), (String) value.evaluate(bindings), reported);
        }
    }

    private static Map<String, String> texts(String prefix, Map<?, ?> values) {
        Map<String, String> texts = new LinkedHashMap<>();
        values.forEach((name, value) -> {
            if (value instanceof Map<?, ?> below) {
                texts.putAll(texts(prefix + name + ".", below));
            } else {
                texts.put(prefix + name, String.valueOf(value));
            }
        });
        return texts;
    }

    /**
     * Reads a dialect from its folder.
     *
     * @throws ValidationFailure naming every field at fault
     * @throws IOException where a file cannot be read
     */
    public static Dialect read(Path folder) throws IOException {
        return read(Folder.read(folder));
    }

    /**
     * Reads a dialect from the texts of its folder.
     *
     * @throws ValidationFailure naming every field at fault
     */
    public static Dialect read(Folder files) {
        DocumentReader reader = new DocumentReader(Document.read(files.text(MAIN).orElseThrow(() -> new ValidationFailure(MAIN, "is missing"))));
        Fields root = reader.root("dialect", "version", "title", "session", "schema", "commit", "validate", "defaults", "whole", "belonging", "named", "settings", "secrets", "confirm-seconds", "not-pending",
                "command-line", "clauses", "observations");
        // Templates are told by the dialect's name, wherever its folder is.
        Folder folder = Folder.of(root.text("dialect"), files.texts());
        boolean netconf = root.oneOf("session", "netconf", "command-line").equals("netconf");
        // Everything else depends on it.
        reader.finish();
        DeviceKind kind = !netconf ? DeviceKind.COMMAND_LINE
                : switch (root.oneOf("commit", "confirmed", "candidate", "running")) {
                    case "confirmed" -> DeviceKind.CONFIRMED_COMMIT;
                    case "candidate" -> DeviceKind.CANDIDATE;
                    default -> DeviceKind.RUNNING_ONLY;
                };
        Optional<CommandLine> commandLine = netconf ? Optional.empty() : Optional.of(commandLine(root, reader));
        Map<String, Template> clauses = new LinkedHashMap<>();
        for (Map.Entry<String, Object> clause : root.open("clauses").entrySet()) {
            template(reader, "/clauses/" + clause.getKey(), folder, String.valueOf(clause.getValue()), netconf)
                    .ifPresent(template -> clauses.put(clause.getKey(), template));
        }
        Map<String, Observation> observations = new LinkedHashMap<>();
        Fields all = root.fields("observations", root.open("observations").keySet().toArray(String[]::new));
        for (String name : root.open("observations").keySet()) {
            Fields each = all.fields(name, "request", "answer", "pass", "final", "value", "reports", "way");
            List<String> names = netconf ? each.texts("answer") : List.copyOf(each.open("answer").keySet());
            AnswerContent answer = netconf ? new AnswerContent.Leaves() : new AnswerContent.Lines(patterns(each, reader));
            Scope scope = Scope.of(Map.of(Observation.REQUEST, MapType.create(SimpleType.STRING, SimpleType.STRING)));
            for (String leaf : names) {
                scope = scope.with(leaf, SimpleType.STRING);
            }
            try {
                Scope.Expression pass = scope.compile(each.text("pass").substring(1));
                Optional<Scope.Expression> last = each.value("final").isEmpty() ? Optional.empty() : Optional.of(scope.compile(each.text("final").substring(1)));
                Scope.Expression value = scope.compile(each.text("value").substring(1));
                Map<String, Scope.Expression> reports = new LinkedHashMap<>();
                for (Map.Entry<String, Object> report : each.open("reports").entrySet()) {
                    reports.put(report.getKey(), scope.compile(String.valueOf(report.getValue()).substring(1)));
                }
                Optional<Observation.Way> way = each.value("way").isEmpty() ? Optional.empty() : way(each.fields("way", "request", "there", "back"), reader, folder, netconf);
                template(reader, each.pointer() + "/request", folder, each.text("request"), netconf).ifPresent(request ->
                        observations.put(name, new Observation(request, names, answer, pass, last, value, reports, way)));
            } catch (Scope.Faulty e) {
                reader.refuse(each.pointer(), e.getMessage());
            }
        }
        boolean hidden = root.value("defaults").isPresent() && root.oneOf("defaults", "shown", "hidden").equals("hidden");
        Optional<Codec> codec = codec(reader, folder, root.text("schema"), netconf, hidden);
        WholeEntries whole = whole(root, reader);
        DeclaredSettings settings = DeclaredSettings.read(root.open("settings"), reader);
        Optional<SecretText> secrets = root.value("secrets").isEmpty() || codec.isEmpty() ? Optional.empty()
                : secrets(root.fields("secrets", "shown", "in"), codec.get(), reader);
        int confirmSeconds = kind == DeviceKind.CONFIRMED_COMMIT ? root.whole("confirm-seconds", 15, 3600) : 0;
        boolean testsEdits = kind.hasCandidate() && root.value("validate").isPresent() && root.oneOf("validate", "separate", "within-edit").equals("within-edit");
        Optional<Pattern> notPending = root.value("not-pending").isPresent() ? Optional.of(pattern(root, "not-pending", reader)) : Optional.empty();
        int version = root.value("version").isPresent() ? root.whole("version", 1, 9999) : 1;
        reader.finish();
        return new Dialect(folder.name(), version, root.text("title"), kind, codec.orElseThrow(), confirmSeconds, testsEdits, notPending, whole, named(root, reader), settings, secrets, commandLine,
                clauses, observations);
    }

    private static WholeEntries whole(Fields root, DocumentReader reader) {
        List<rilvan.core.tree.Path> lists = new ArrayList<>();
        for (String text : root.texts("whole")) {
            path(text, "/whole/" + lists.size(), reader).ifPresent(lists::add);
        }
        Map<rilvan.core.tree.Path, rilvan.core.tree.Path> belonging = new LinkedHashMap<>();
        root.open("belonging").forEach((list, whole) -> {
            String pointer = "/belonging/" + list.replace("/", "~1");
            path(list, pointer, reader).ifPresent(at -> path(String.valueOf(whole), pointer, reader).ifPresent(of -> {
                if (!lists.contains(of) || !at.parent().equals(of.parent())) {
                    reader.refuse(pointer, "'" + whole + "' is not one of the entries under 'whole' that stand beside it");
                }
                belonging.put(at, of);
            }));
        });
        return new WholeEntries(lists, belonging);
    }

    private static Optional<rilvan.core.tree.Path> path(String text, String pointer, DocumentReader reader) {
        try {
            rilvan.core.tree.Path path = rilvan.core.tree.Path.parse(text);
            if (path.isRoot()) {
                reader.refuse(pointer, "is the root, which is not an entry");
                return Optional.empty();
            }
            return Optional.of(path);
        } catch (IllegalArgumentException e) {
            reader.refuse(pointer, e.getMessage());
            return Optional.empty();
        }
    }

    private static Map<String, rilvan.core.tree.Path> named(Fields root, DocumentReader reader) {
        Map<String, rilvan.core.tree.Path> named = new LinkedHashMap<>();
        root.open("named").forEach((kind, at) -> {
            try {
                named.put(kind, rilvan.core.tree.Path.parse(String.valueOf(at)));
            } catch (IllegalArgumentException e) {
                reader.refuse("/named/" + kind, e.getMessage());
            }
        });
        return named;
    }

    /** Names of the entries that a configuration has of a kind; none where the family has nothing of that kind. */
    public List<String> names(String kind, String configuration) {
        rilvan.core.tree.Path list = named.get(kind);
        if (list == null) {
            return List.of();
        }
        rilvan.core.tree.Path above = list.parent();
        return codec.decode(configuration).at(above).map(node -> node.children().keySet().stream()
                .filter(step -> step.name().equals(list.last().name())).map(step -> String.join(" ", step.keys())).toList()).orElse(List.of());
    }

    private static Optional<SecretText> secrets(Fields fields, Codec codec, DocumentReader reader) {
        SecretText.Form form = fields.oneOf("shown", "clear", "crypt-hash").equals("clear") ? SecretText.Form.CLEAR : SecretText.Form.CRYPT_HASH;
        try {
            return Optional.of(codec instanceof XmlCodec xml ? SecretText.ofLeaves(form, fields.texts("in"), xml.schema().roots().values())
                    : SecretText.ofStatement(form, fields.texts("in"), ((LineCodec) codec).table().roots()));
        } catch (SecretText.UnknownLeaf e) {
            reader.refuse(fields.pointer() + "/in", e.getMessage());
            return Optional.empty();
        }
    }

    private static Optional<Codec> codec(DocumentReader reader, Folder folder, String file, boolean netconf, boolean hidden) {
        if (folder.text(file).isEmpty()) {
            reader.refuse("/schema", "there is no file " + file + " in " + folder.name());
            return Optional.empty();
        }
        String text = folder.text(file).get();
        try {
            return Optional.of(netconf ? new XmlCodec(SchemaTable.parse(text), hidden) : new LineCodec(StatementTable.parse(text)));
        } catch (SchemaTable.MalformedTable e) {
            reader.refuse("/schema", file + ": " + e.getMessage());
            return Optional.empty();
        }
    }

    private static CommandLine commandLine(Fields root, DocumentReader reader) {
        Fields fields = root.fields("command-line", "prompt", "more", "error", "warning", "asks", "begin", "read", "read-saved", "enter", "leave", "save",
                "session", "end", "unknown");
        Map<String, String> asks = new LinkedHashMap<>();
        fields.open("asks").forEach((question, answer) -> asks.put(question, String.valueOf(answer)));
        boolean numbered = Stream.of("session", "end", "unknown").anyMatch(each -> fields.value(each).isPresent());
        return new CommandLine(pattern(fields, "prompt", reader), fields.text("more", ""), pattern(fields, "error", reader),
                fields.value("warning").map(given -> pattern(fields, "warning", reader)), asks, fields.texts("begin"), fields.text("read"), fields.value("read-saved").map(String::valueOf),
                fields.text("enter"), fields.text("leave"), fields.text("save"),
                numbered ? Optional.of(new CommandLine.Sessions(pattern(fields, "session", reader), fields.text("end"), pattern(fields, "unknown", reader))) : Optional.empty());
    }

    private static Pattern pattern(Fields fields, String name, DocumentReader reader) {
        try {
            return Pattern.compile(fields.text(name), Pattern.MULTILINE);
        } catch (PatternSyntaxException e) {
            reader.refuse(fields.pointer() + "/" + name, e.getDescription() + " at character " + (e.getIndex() + 1));
            return Pattern.compile("");
        }
    }

    private static Optional<Template> template(DocumentReader reader, String pointer, Folder folder, String file, boolean xml) {
        if (folder.text(file).isEmpty()) {
            reader.refuse(pointer, "there is no file " + file + " in " + folder.name());
            return Optional.empty();
        }
        String name = folder.name() + "/" + file;
        String text = folder.text(file).get();
        try {
            return Optional.of(xml ? Template.xml(name, text) : Template.lines(name, text));
        } catch (Template.TemplateFault e) {
            reader.refuse(pointer, e.getMessage());
            return Optional.empty();
        }
    }

    /** What templates see of the device that they speak for, as {@code device}: name, role, site, loopback and settings. */
    public Map<String, Object> about(Device device, Network network) {
        // In this sequence: digests are made of it.
        Map<String, Object> about = new LinkedHashMap<>();
        about.put("name", device.name());
        about.put("role", device.role());
        about.put("site", device.site());
        about.put("loopback", device.loopback());
        about.put("settings", settings.on(device, network));
        return about;
    }

    /**
     * What a clause becomes on a device of this family.
     *
     * @param about what templates see of the device
     * @throws ValidationFailure where the family cannot say it, naming both
     */
    public NativeFragment say(Clause clause, Map<String, Object> about) {
        Template template = template(clause);
        try {
            return new NativeFragment(codec.decodeExact(template.fill(values(clause, about))), template.name());
        } catch (MalformedConfiguration | Template.TemplateFault e) {
            throw cannot(clause, e);
        }
    }

    /**
     * What several clauses become on a device, in their order.
     *
     * @param about what templates see of the device
     * @throws ValidationFailure where the family cannot say one of them, naming both
     */
    public List<NativeFragment> sayAll(List<Clause> clauses, Map<String, Object> about) {
        clauses.forEach(this::refuseDisturbing);
        List<Template> templates = clauses.stream().map(this::template).toList();
        List<Node> trees;
        try {
            trees = codec.decodeAllExact(Template.fillAll(templates, clauses.stream().map(clause -> values(clause, about)).toList()));
        } catch (MalformedConfiguration | Template.TemplateFault e) {
            // One of them is wrong: said one by one, it tells which.
            return clauses.stream().map(clause -> say(clause, about)).toList();
        }
        List<NativeFragment> said = new ArrayList<>(clauses.size());
        for (int i = 0; i < trees.size(); i++) {
            said.add(new NativeFragment(trees.get(i), templates.get(i).name()));
        }
        return said;
    }

    private void refuseDisturbing(Clause clause) {
        commandLine.ifPresent(line -> texts(clause.says()).filter(line::isDisturbedBy).findFirst().ifPresent(text -> {
            throw new ValidationFailure("", "'" + text + "' on " + clause.device() + " would be taken for a prompt, a pager or an error of the device; write it otherwise");
        }));
    }

    private static Stream<String> texts(Object value) {
        return value instanceof String text ? Stream.of(text)
                : value instanceof Map<?, ?> fields ? fields.values().stream().flatMap(Dialect::texts)
                : value instanceof List<?> list ? list.stream().flatMap(Dialect::texts) : Stream.empty();
    }

    private ValidationFailure cannot(Clause clause, RuntimeException why) {
        ValidationFailure cannot = new ValidationFailure("", name + CANNOT_SAY + "'" + clause.name() + "' on " + clause.device() + ": " + why.getMessage());
        cannot.initCause(why);
        return cannot;
    }

    /** The family's template; of an engineer's own text one made of it, locked down like the others. */
    private Template template(Clause clause) {
        if (clause.name().equals(NATIVE)) {
            String label = "the text of " + clause.says().get("label");
            String text = (String) clause.says().get("text");
            try {
                return kind == DeviceKind.COMMAND_LINE ? Template.lines(label, text) : Template.xml(label, text);
            } catch (Template.TemplateFault e) {
                throw new ValidationFailure("", e.getMessage());
            }
        }
        Template template = clauses.get(clause.name());
        if (template == null) {
            throw new ValidationFailure("", clause.device() + " is of the family " + name + ", which cannot express '" + clause.name() + "'");
        }
        return template;
    }

    private static Map<String, Object> values(Clause clause, Map<String, Object> about) {
        Map<String, Object> values = new LinkedHashMap<>();
        values.put(Template.DEVICE, about);
        if (!clause.name().equals(NATIVE)) {
            values.putAll(clause.says());
            return values;
        }
        for (Object each : (List<?>) clause.says().getOrDefault("values", List.of())) {
            Map<?, ?> value = (Map<?, ?>) each;
            values.put((String) value.get("name"), value.get("value"));
        }
        return values;
    }

    /** What finds the leaf elements of an answer, by their local names. */
    private static Optional<Observation.Way> way(Fields way, DocumentReader reader, Folder folder, boolean netconf) {
        String there = netconf ? way.text("there") : "there";
        String back = netconf ? way.text("back") : "back";
        AnswerContent answer = netconf ? new AnswerContent.Leaves() : new AnswerContent.Lines(Map.of(there, pattern(way, there, reader), back, pattern(way, back, reader)));
        return template(reader, way.pointer() + "/request", folder, way.text("request"), netconf).map(request -> new Observation.Way(request, answer, there, back));
    }

    private static Map<String, Pattern> patterns(Fields observation, DocumentReader reader) {
        Fields answer = observation.fields("answer", observation.open("answer").keySet().toArray(String[]::new));
        Map<String, Pattern> patterns = new LinkedHashMap<>();
        observation.open("answer").keySet().forEach(name -> {
            Pattern pattern = pattern(answer, name, reader);
            if (pattern.matcher("").groupCount() < 1) {
                reader.refuse(answer.pointer() + "/" + name, "has no group; what is in the first pair of brackets is the value");
            }
            patterns.put(name, pattern);
        });
        return patterns;
    }
}
