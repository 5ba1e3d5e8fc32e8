package rilvan.kit;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.TestFactory;
import org.junit.jupiter.api.io.TempDir;
import rilvan.core.catalog.Catalog;
import rilvan.core.check.Check;
import rilvan.core.check.Observed;
import rilvan.core.check.Viewpoint;
import rilvan.core.dialect.Codec;
import rilvan.core.document.Document;
import rilvan.core.document.Secret;
import rilvan.core.document.SecretSeal;
import rilvan.core.network.Network;
import rilvan.core.network.NetworkDocument;
import rilvan.core.plan.Plan;
import rilvan.core.tree.Node;
import rilvan.core.tree.Step;
import rilvan.lab.behaviour.Convergence;
import rilvan.lab.behaviour.Wiring;
import rilvan.lab.behaviour.Wiring.End;
import rilvan.lab.behaviour.Wiring.Wire;
import rilvan.lab.config.EditConfig;
import rilvan.lab.config.Item;
import rilvan.lab.config.Xml;
import rilvan.lab.config.YangModel;
import rilvan.lab.device.Device;
import rilvan.lab.device.NetconfDevice;
import rilvan.lab.device.Profile;
import rilvan.lab.device.Question;
import rilvan.lab.lines.Grammar;
import rilvan.lab.lines.LineDevice;

/**
 * Checks are worth something where they notice what is wrong. Every example is rendered and put on the lab's devices: all its
 * checks hold. Then each value that it put there is made another, or taken away, one at a time: some check fails, or the value
 * is one that does not matter, for a reason that stands here.
 */
class BrokenServicesTest {

    private static final Path MODELS = Path.of("../models");

    /** What does not decide whether anything gets through. */
    private static final Map<String, Pattern> IMMATERIAL = new LinkedHashMap<>();

    static {
        IMMATERIAL.put("words for people", Pattern.compile("/(description|note)( -)?$"));
        IMMATERIAL.put("a route distinguisher of a segment or wire only keeps routes apart (RFC 4364 §4.2)",
                Pattern.compile("(domain-row.*/distinguisher|bridge.*/rd|cross-connect.*/rd|evpn-distinguisher|/evpn/rd)( -)?$"));
        IMMATERIAL.put("a control word is used only where both ends want it (RFC 8077 §7)",
                Pattern.compile("(pseudowire.*/control-word|wire-row.*/sequence-word|domain-wire-row.*/sequence-word|/far.*/control-word)( -)?$"));
        IMMATERIAL.put("a tag of this device alone", Pattern.compile("/(vxlan/tag|local-tag)( -)?$"));
        IMMATERIAL.put("ways side by side; one is enough", Pattern.compile("/(paths|ways|maximum-paths|multipath)( -)?$"));
        IMMATERIAL.put("where it is not said, the port's own payload holds, which is larger", Pattern.compile("/(mtu|octets|payload) -$"));
        IMMATERIAL.put("frames without a tag are what is taken where nothing is said", Pattern.compile("(/untagged|/bare|/part\\[[^/]*,0]/frames) -$"));
        IMMATERIAL.put("the family's own default says the same", Pattern.compile("/evpn/control-word -$"));
        IMMATERIAL.put("it takes more frames than its own, which still get through", Pattern.compile("/(inner|second-tag) -$"));
        IMMATERIAL.put("the only port of its segment has nobody to reach", Pattern.compile("tidewater-records-desks|access-1,31"));
        IMMATERIAL.put("a pseudowire is raw where nothing is said", Pattern.compile("/(type|mode) -$"));
        IMMATERIAL.put("what a customer tells and hears beyond its session is for the customer to say",
                Pattern.compile("(/policy/filter|filter-step-row|/prefixes|/import-filter|/prefix-limit|/announce\\[)"));
        IMMATERIAL.put("routes come back only where a customer has a link of its own between its sites (RFC 4364 §7, RFC 4577 §4.2.5)",
                Pattern.compile("(/site-of-origin|/ospf3?-domain|/ospf-loop-tag)( -)?$"));
        IMMATERIAL.put("without it, it is the address on the way, which is the same here", Pattern.compile("/neighbor\\[[^/]*]/source -$"));
        IMMATERIAL.put("any address that no other router has will do", Pattern.compile("/router-mac$"));
        IMMATERIAL.put("its AS is at no other site", Pattern.compile("/put-own-as -$"));
    }

    private static final List<String> FRAMES = List.of("port", "number", "tags", "to.device", "to.port", "to.number", "to.tags", "size");

    private static final Map<String, String> TARN_CLASSES = Map.of("best-effort", "plain", "business", "preferred", "voice", "speech");

    @TempDir
    private static Path folder;
    private static Catalog catalog;
    // The network that is looked at: the demo's, or a generated one.
    private static Network network;
    private static Wiring wiring;
    private static Path ground;
    private static final Map<String, YangModel> MODULES = new HashMap<>();

    @BeforeAll
    static void models() throws Exception {
        catalog = Catalog.read(MODELS);
        for (String family : List.of("quern", "tarn")) {
            MODULES.put(family, YangModel.read(MODELS.resolve("dialects").resolve(family).resolve("yang")));
        }
    }

    /** The network and its devices from here on. */
    private static void lookAt(Path folder) throws Exception {
        ground = folder;
        network = NetworkDocument.read(Document.read(Files.readString(folder.resolve("network.yaml"))));
        wiring = new Wiring(network.links().stream().map(link -> new Wire(new End(link.a().device(), link.a().port()),
                new End(link.b().device(), link.b().port()))).toList());
    }

    @TestFactory
    List<DynamicTest> everyValueOfEveryExample() throws IOException {
        List<DynamicTest> tests = new ArrayList<>();
        for (String model : List.of("l2vpn", "l3vpn", "tenant", "vpls")) {
            try (Stream<Path> files = Files.list(MODELS.resolve("services").resolve(model).resolve("examples"))) {
                files.sorted().forEach(file -> tests.add(DynamicTest.dynamicTest(model + ": " + file.getFileName(), () -> breakAll(file))));
            }
        }
        return tests;
    }

    private static void breakAll(Path example) throws Exception {
        lookAt(MODELS.resolve("demo"));
        Trial trial = Trial.of(catalog, ground.resolve("network.yaml"), ground.resolve("devices"));
        if (example.endsWith("harbour-lights.yaml")) {
            // It imports what that one offers.
            trial.done(Files.readString(example.resolveSibling("gannet-cold-stores.yaml")));
        }
        breakAll(example.getFileName().toString(), trial, trial.done(Files.readString(example)), Integer.MAX_VALUE);
    }

    /** Services of dozens of places on a generated network. A number of values, chosen anew each time, or all with {@code -Drilvan.breaks=2147483647}. */
    @TestFactory
    List<DynamicTest> valuesOfLargeServices() {
        int breaks = Integer.getInteger("rilvan.breaks", 40);
        return List.of(
                DynamicTest.dynamicTest("hub and spoke, 60 sites", () -> breakLarge("pe", LargeServices.hubAndSpoke(60, 20), 20, breaks)),
                DynamicTest.dynamicTest("any to any, 60 sites", () -> breakLarge("pe", LargeServices.anyToAny(60, 20), 20, breaks)),
                DynamicTest.dynamicTest("hierarchical VPLS, 40 edges", () -> breakLarge("vpls", LargeServices.hierarchicalVpls(40), 40, breaks)),
                DynamicTest.dynamicTest("tenant, 40 ports", () -> breakLarge("leaf", LargeServices.tenant(40, 10), 10, breaks)));
    }

    private static void breakLarge(String role, String order, int size, int breaks) throws Exception {
        LargeServices.write(folder.resolve(role + size), size, role);
        lookAt(folder.resolve(role + size));
        Trial trial = Trial.of(catalog, ground.resolve("network.yaml"), ground.resolve("devices"));
        Plan plan = trial.done(order);
        assertThat(plan.coverage().uncovered()).as("places without a check").isEmpty();
        breakAll(role + " " + size, trial, plan, breaks);
    }

    private static void breakAll(String title, Trial trial, Plan plan, int most) throws Exception {
        Convergence lab = new Convergence(wiring, null, 0);
        // Devices have the secrets themselves.
        Map<String, String> held = new TreeMap<>(trial.configurations());
        held.replaceAll((device, text) -> Secret.replaced(text, SecretSeal.WITHOUT_KEY::open));
        for (Map.Entry<String, String> each : held.entrySet()) {
            lab.start(device(each.getKey(), each.getValue()), family(each.getKey()));
        }
        List<Check> checks = plan.checks();
        assertThat(checks).as("checks of %s", title).isNotEmpty();
        assertThat(failing(lab, checks)).as("with everything right").isEmpty();
        Map<String, Integer> counts = new TreeMap<>();
        List<String> unnoticed = new ArrayList<>();
        long seed = Long.getLong("rilvan.seed", System.nanoTime());
        Set<String> chosen = chosen(plan, most, new Random(seed));
        for (Map.Entry<String, Plan.DevicePlan> part : plan.devices().entrySet()) {
            String device = part.getKey();
            Codec codec = part.getValue().part().codec();
            Node whole = codec.decode(held.get(device));
            for (rilvan.core.tree.Path path : part.getValue().ledger().entries().keySet()) {
                if (!chosen.contains(device + " " + path) || !part.getValue().ledger().entries().get(path).ownedBy(plan.outcomes().get(0).service())) {
                    continue;
                }
                Node now = whole.at(path).orElseThrow();
                for (Node other : others(path, now)) {
                    String text = codec.encode(whole.with(path, other));
                    Optional<Device> broken = tried(device, text);
                    if (broken.isEmpty()) {
                        counts.merge("refused by the device", 1, Integer::sum);
                        continue;
                    }
                    lab.start(broken.get(), family(device));
                    boolean noticed = checks.stream().anyMatch(check -> failure(lab, check).isPresent());
                    Optional<String> excuse = excuse(plan, device, path, now, other);
                    counts.merge(noticed ? "noticed" : excuse.orElse("unnoticed"), 1, Integer::sum);
                    if (!noticed && excuse.isEmpty()) {
                        unnoticed.add(device + " " + path + (other.isEmpty() ? " taken away" : " made " + other.value()));
                    }
                }
            }
            lab.start(device(device, held.get(device)), family(device));
        }
        System.out.println(title + ": " + checks.size() + " checks, " + counts + (most == Integer.MAX_VALUE ? "" : ", seed " + seed));
        assertThat(unnoticed).as("broken without any check failing").isEmpty();
        assertThat(counts).containsKey("noticed");
    }

    private static Optional<String> excuse(Plan plan, String device, rilvan.core.tree.Path path, Node now, Node other) {
        boolean taken = other.isEmpty();
        String text = path + (taken ? " -" : "");
        Optional<String> told = IMMATERIAL.entrySet().stream().filter(each -> each.getValue().matcher(text).find())
                .map(Map.Entry::getKey).findFirst();
        if (told.isPresent()) {
            return told;
        }
        String model = plan.outcomes().get(0).expansion().orElseThrow().service().model();
        Matcher target = Pattern.compile("\\b\\d+:\\d+(?=])").matcher(text);
        if (target.find() && (paths(plan).noneMatch(each -> each.matches(".*(import\\[|take\\[|,in,)" + target.group() + "].*"))
                || paths(plan).noneMatch(each -> each.matches(".*(export\\[|give\\[|,out,)" + target.group() + "].*"))
                || plan.devices().values().stream().filter(each -> paths(each).anyMatch(one -> one.contains(target.group()))).count() == 1)) {
            return Optional.of("a route target that nobody else here has");
        }
        Matcher apart = Pattern.compile("between(?:-row)?\\[(?:[^,\\]]*,(?=[^,\\]]*,))?([^,\\]]*),([^,\\]]*)]").matcher(text);
        if (apart.find() && groups(plan.devices().get(device)).noneMatch(group -> group.equals(apart.group(1)) || group.equals(apart.group(2)))) {
            return Optional.of("no port of these groups is here");
        }
        if (text.matches(".*/(export|give)\\[.*|.*context-target-row.*,out,.*") && paths(plan.devices().get(device)).noneMatch(each ->
                each.matches(".*(/ipv4$|/ipv4 |/circuit\\[.*/ipv[46]|subport-address-row|/address\\[|gateway-address).*"))) {
            return Optional.of("it has nothing of its own to tell");
        }
        if (text.matches(".*(/group|/group\\[.*])( -)?") && paths(plan).noneMatch(each -> each.matches(".*between.*[\\[,]" + now.value() + "[],].*"))) {
            return Optional.of("a group that no rule names");
        }
        if (text.matches(".*/(rd|distinguisher)") && values(plan, ".*/(rd|distinguisher)").filter(other.value()::equals).count() > 0) {
            return Optional.of("the distinguisher of another VRF of the service");
        }
        if (text.matches(".*/(rd|distinguisher)( -)?") && plan.checks().stream().noneMatch(check -> check.observation().equals("origins")
                && !check.from().get("device").equals(device) && List.of(((String) check.to().get("distinguishers")).split(",")).contains(now.value()))) {
            return Optional.of("a distinguisher of routes that no other VRF of the service takes");
        }
        boolean outside = model.equals("l3vpn") || network.device(device).orElseThrow().role().equals("border");
        if (outside && text.matches("/(vpn/vrf\\[.*]/bgp/neighbor|ospf-row).*") && plan.checks().stream().noneMatch(check ->
                check.observation().equals("session") && check.from().get("device").equals(device) && Viewpoint.of(check, network).coverage() != Observed.Coverage.NOT_TESTABLE_YET
                        && (text.contains((String) check.to().get("address")) || text.contains("," + check.to().get("behind") + ",")))) {
            return Optional.of("no customer's router is there yet, and only one could tell");
        }
        if (model.equals("l3vpn") && text.matches(".*/(mtu|octets|payload)") && plan.checks().stream().noneMatch(check -> check.observation().equals("reach"))) {
            return Optional.of("the only site: nobody sends it full packets");
        }
        boolean tags = text.matches(".*(/match/.*|/tag|/second-tag|/frames|/mtu|/octets|/payload)( -)?");
        if (outside && tags && network.across(new Network.End(device, port(path))).isEmpty()) {
            return Optional.of("no customer's router is there yet, and only one could tell");
        }
        if (text.matches("/(ports|subport-row|part).*(/mtu|/octets|/payload)( -)?") && model.equals("l2vpn") && plan.outcomes().get(0).expansion().orElseThrow()
                .checks().stream().anyMatch(check -> !check.wanted() && check.to().get("device").equals(device))) {
            return Optional.of("a spare, not in use");
        }
        return text.matches(".*/(mesh|horizon)( -)?") ? horizon(plan, device, path, now, taken) : Optional.empty();
    }

    /** Where it makes no difference whether frames may go on from one pseudowire to the mesh. */
    private static Optional<String> horizon(Plan plan, String device, rilvan.core.tree.Path path, Node now, boolean taken) {
        if (taken && (now.value().equals("true") || now.value().equals("on"))) {
            return Optional.of("the family's own default says the same");
        }
        if (network.device(device).orElseThrow().role().equals("upe")) {
            return Optional.of("one way of a user-facing device is in use at a time");
        }
        String id = path.parent().last().keys().get(path.parent().last().keys().size() - 1);
        if (paths(plan).anyMatch(each -> each.matches(".*," + id + "]/(standby-for|stand-in-for)"))) {
            return Optional.of("a spare, not in use");
        }
        long others = paths(plan.devices().get(device)).filter(each -> each.matches(".*(pseudowire|far|domain-wire-row)\\[[^/]*]")).count();
        long spokes = plan.devices().get(device).ledger().entries().entrySet().stream().filter(each -> each.getKey().toString().matches(".*/(mesh|horizon)")
                && each.getValue().value().matches("false|off")).count();
        return others - spokes <= 1 ? Optional.of("the only one of its mesh") : Optional.empty();
    }

    private static Stream<String> groups(Plan.DevicePlan device) {
        return device.ledger().entries().entrySet().stream().filter(each -> each.getKey().toString().matches(".*(/group|/group\\[.*])")).map(each -> each.getValue().value());
    }

    private static Stream<String> paths(Plan.DevicePlan device) {
        return device.ledger().entries().keySet().stream().map(Object::toString);
    }

    private static Stream<String> paths(Plan plan) {
        return plan.devices().values().stream().flatMap(BrokenServicesTest::paths);
    }

    private static Stream<String> values(Plan plan, String paths) {
        return plan.devices().values().stream().flatMap(device -> device.ledger().entries().entrySet().stream()).filter(each -> each.getKey().toString().matches(paths))
                .map(each -> each.getValue().value());
    }

    private static String port(rilvan.core.tree.Path path) {
        return path.steps().stream().filter(step -> !step.keys().isEmpty()).findFirst().map(Step::keys).orElseThrow().get(0);
    }

    /** Nothing instead of it, and for a leaf, another value. */
    private static Collection<Node> others(rilvan.core.tree.Path path, Node now) {
        List<Node> others = new ArrayList<>();
        if (!path.isRoot()) {
            others.add(Node.EMPTY);
        }
        String value = now.value();
        if (!value.isEmpty()) {
            List<List<String>> pairs = List.of(List.of("true", "false"), List.of("on", "off"), List.of("raw", "tagged"), List.of("ethernet", "vlan"),
                    List.of("accept", "refuse"), List.of("pass", "drop"), List.of("multicast", "ingress"), List.of("s-tag", "c-tag"), List.of("service", "customer"));
            Optional<String> flipped = pairs.stream().filter(pair -> pair.contains(value)).map(pair -> pair.get(1 - pair.indexOf(value))).findFirst();
            char last = value.charAt(value.length() - 1);
            // A wider network around the same link makes no difference; another address does.
            String changed = value.matches("\\d+(\\.\\d+){3}/\\d+") ? value.replaceFirst("^\\d+\\.", "233.") : value.matches("[0-9a-f:]+/\\d+") ? value.replaceFirst("^[0-9a-f]+:", "2002:")
                    : value.matches("[1-9]\\d{0,8}") ? Integer.toString(Integer.parseInt(value) - 1)
                    : Character.isDigit(last) ? value.substring(0, value.length() - 1) + (last == '0' ? '1' : (char) (last - 1)) : value + "x";
            others.add(Node.leaf(flipped.orElse(changed)));
        }
        return others;
    }

    private static String family(String device) {
        return network.device(device).orElseThrow().family();
    }

    private static Optional<Device> tried(String name, String text) {
        try {
            return Optional.of(device(name, text));
        } catch (RuntimeException | IOException e) {
            return Optional.empty();
        }
    }

    private static Device device(String name, String text) throws IOException {
        Path folder = MODELS.resolve("dialects").resolve(family(name));
        Profile profile = Profile.read(folder);
        if (profile.commandLine()) {
            return new LineDevice(name, Grammar.parse(Files.readString(folder.resolve("lab.grammar"))), text, () -> { }, saved -> { });
        }
        YangModel model = MODULES.get(family(name));
        Item start = EditConfig.whole(model, Xml.parse("<config>" + text + "</config>"));
        model.validate(start);
        return new NetconfDevice(name, profile, model, start, null, () -> { }, saved -> { });
    }

    /** The checks that do not come out as they should. */
    private static List<String> failing(Convergence lab, List<Check> checks) {
        return checks.stream().flatMap(check -> failure(lab, check).stream()).toList();
    }

    private static Optional<String> failure(Convergence lab, Check check) {
        Viewpoint view = Viewpoint.of(check, network);
        Map<String, Object> asks = view.request();
        Optional<String> wrong = view.coverage() == Observed.Coverage.NOT_TESTABLE_YET ? Optional.empty() : asked(check.observation()).map(asked ->
                lab.not(asked.question(), view.observer(), asked.says().stream().map(name -> said(name, asks)).map(says -> family(view.observer()).equals("tarn") ? TARN_CLASSES.getOrDefault(says, says) : says)
                        .toList())).orElseThrow();
        return wrong.isEmpty() == check.wanted() ? Optional.empty()
                : Optional.of(check.observation() + " from " + view.observer() + " to " + view.target() + ": " + wrong.orElse("got through"));
    }

    private static Set<String> chosen(Plan plan, int most, Random random) {
        List<String> all = new ArrayList<>();
        plan.devices().forEach((device, part) -> part.ledger().entries().keySet().forEach(path -> all.add(device + " " + path)));
        Collections.shuffle(all, random);
        return new HashSet<>(all.subList(0, Math.min(most, all.size())));
    }

    /** A question of the lab's, and where the values are that it takes, in its order. */
    private record Asked(Question question, List<String> says) {}

    private static Optional<Asked> asked(String observation) {
        return Optional.ofNullable(Map.of(
                "reach", new Asked(Question.PING, List.of("destination", "source", "vrf", "size")),
                "route", new Asked(Question.ROUTE, List.of("to.prefix", "vrf")),
                "session", new Asked(Question.SESSION, List.of("to.address", "vrf")),
                "wire", new Asked(Question.WIRE, List.of("name", "to.address", "to.flush")),
                "standby", new Asked(Question.STANDBY, List.of("name", "to.address", "to.main", "to.flush")),
                "learning", new Asked(Question.STATIONS, List.of("name", "to.limit")),
                "rate", new Asked(Question.TREATMENT, List.of("port", "number", "to.rate", "to.class")),
                "gateway", new Asked(Question.GATEWAY, List.of("segment", "to.address", "to.mac", "vrf")),
                "relay", new Asked(Question.RELAY, List.of("segment", "to.address")),
                "bundle", new Asked(Question.BUNDLE, List.of("port", "members", "to.device"))).get(observation)).or(() -> switch (observation) {
                    case "prefixes" -> Optional.of(new Asked(Question.PREFIXES, List.of("to.address", "vrf", "to.count")));
                    case "origins" -> Optional.of(new Asked(Question.ORIGINS, List.of("vrf", "to.distinguishers", "to.targets")));
                    case "peers" -> Optional.of(new Asked(Question.PEERS, List.of("name", "to.addresses")));
                    case "hosts" -> Optional.of(new Asked(Question.HOSTS, List.of("name", "to.device", "to.port", "to.number")));
                    case "connect" -> Optional.of(new Asked(Question.CONNECT, List.of("destination", "to.tcp", "source", "vrf")));
                    case "exchange" -> Optional.of(new Asked(Question.EXCHANGE, List.of("to.address", "vrf")));
                    case "frames" -> Optional.of(new Asked(Question.FRAMES, FRAMES));
                    case "delivery" -> Optional.of(new Asked(Question.DELIVERY, FRAMES));
                    case "routed" -> Optional.of(new Asked(Question.ROUTED, List.of("port", "number", "tags", "source", "to.device", "to.port", "to.number", "to.tags",
                            "to.address", "size")));
                    default -> Optional.empty();
                });
    }

    private static String said(String name, Map<String, Object> asks) {
        Map<?, ?> place = name.startsWith("to.") ? (Map<?, ?>) asks.get("to") : asks;
        return String.valueOf(place.get(name.startsWith("to.") ? name.substring("to.".length()) : name));
    }
}
