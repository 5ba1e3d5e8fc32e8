package rilvan.core.plan;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import rilvan.core.document.Document;
import rilvan.core.document.ValidationFailure;

/** Each stage has of each service what is at its devices; what is elsewhere stays as it was until its own stage. */
class StagesTest {

    private static final Map<String, Object> SITES = schema("""
            {properties: {
              rate: {type: integer},
              gateway: {refers: device},
              sites: {type: array, minItems: 1, items: {properties: {name: {}, device: {refers: device}, also: {type: array, items: {refers: device}}, tag: {}}}},
              notes: {type: array, items: {properties: {text: {}}}}}}""");
    private static final Map<String, Object> ENDS = schema("{properties: {ends: {type: array, minItems: 2, items: {properties: {device: {refers: device}, port: {}}}}}}");

    @SuppressWarnings("unchecked")
    private static Map<String, Object> schema(String text) {
        return (Map<String, Object>) Document.read(text).value();
    }

    /** Sites as NAME@DEVICE+DEVICE:TAG, a wire as DEVICE-DEVICE, a gateway as GATEWAY/, in a document. */
    private static Map<String, Object> parameters(String written) {
        Map<String, Object> parameters = new HashMap<>();
        String sites = written;
        if (written.contains("/")) {
            parameters.put("gateway", written.split("/")[0]);
            sites = written.substring(written.indexOf('/') + 1);
        }
        if (written.contains("-")) {
            parameters.put("ends", Arrays.stream(written.split("-")).map(device -> Map.<String, Object>of("device", device, "port", "p")).toList());
            return parameters;
        }
        parameters.put("sites", Arrays.stream(sites.split(" ")).filter(site -> !site.isEmpty()).map(site -> {
            String[] parts = site.split("[@:]");
            String[] devices = parts[1].split("\\+");
            return Map.<String, Object>of("name", parts[0], "device", devices[0], "also", List.of(devices).subList(1, devices.length), "tag", parts.length > 2 ? parts[2] : "1");
        }).toList());
        return parameters;
    }

    private static String written(Map<String, Object> parameters) {
        String gateway = parameters.containsKey("gateway") ? parameters.get("gateway") + "/" : "";
        if (parameters.get("ends") instanceof List<?> ends) {
            return ends.stream().map(end -> String.valueOf(((Map<?, ?>) end).get("device"))).collect(Collectors.joining("-"));
        }
        return gateway + ((List<?>) parameters.get("sites")).stream().map(item -> {
            Map<?, ?> site = (Map<?, ?>) item;
            return site.get("name") + "@" + site.get("device") + ((List<?>) site.get("also")).stream().map(device -> "+" + device).collect(Collectors.joining()) + (site.get("tag").equals("1") ? "" : ":" + site.get("tag"));
        }).collect(Collectors.joining(" "));
    }

    private static List<Map<String, Object>> split(Map<String, Object> order, List<Set<String>> stages, Map<String, Map<String, Object>> standing) {
        return split(order, new Stages(stages, false), standing);
    }

    private static List<Map<String, Object>> split(Map<String, Object> order, Stages stages, Map<String, Map<String, Object>> standing) {
        return stages.split(order, name -> Optional.ofNullable(standing.get(name)), (model, version) -> Optional.of(model.equals("wire") ? ENDS : SITES));
    }

    private static Map<String, Object> service(String written) {
        return new TreeMap<>(Map.of("tenant", "t", "model", written.contains("-") ? "wire" : "sites", "parameters", parameters(written)));
    }

    /** What each stage says of one service: its parameters, "gone", or nothing. */
    private static String told(Map<String, Object> stage) {
        List<?> services = (List<?>) stage.get("services");
        List<?> remove = (List<?>) stage.get("remove");
        return !remove.isEmpty() ? "gone" : services.isEmpty() ? "" : written(parametersOf(services.get(0)));
    }

    @SuppressWarnings("unchecked")
    private static Map<String, Object> parametersOf(Object service) {
        return (Map<String, Object>) ((Map<?, ?>) service).get("parameters");
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        // before | wanted | stages but the last | what each says
        "- | one@a two@b three@c | a | one@a; one@a two@b three@c",
        "- | one@a two@b three@c | a; b | one@a; one@a two@b; one@a two@b three@c",
        "- | one@a two@b | b | two@b; one@a two@b",
        "- | two@b | a | none; two@b",
        "- | one@a two@a | a | one@a two@a; none",
        "- | a-b | a | none; a-b",
        "- | a-b | a,b | a-b; none",
        "- | one@a+b two@a | a | two@a; one@a+b two@a",
        "- | b/one@a | a | none; b/one@a",
        "- | a/one@a two@b | a | a/one@a; a/one@a two@b",
        "one@a two@b | one@a:2 two@b:2 | a | one@a:2 two@b; one@a:2 two@b:2",
        "one@a two@b | one@a | b | one@a; one@a",
        "one@a two@b | two@b | b | one@a two@b; two@b",
        "one@a two@b | one@c two@b | a | two@b one@a; one@c two@b",
        "one@a two@b | one@c two@b | a,c | one@c two@b; two@b one@c",
        "one@a two@b | GONE | a | two@b; gone",
        "one@a two@b | GONE | a,b | gone; none",
        "a-b | GONE | a | none; gone"})
    void ofEachServiceAStageHasWhatIsAtItsDevices(String before, String wanted, String stages, String each) {
        assertThat(told(before, wanted, new Stages(devices(stages), false))).isEqualTo(listed(each));
    }

    @ParameterizedTest
    @CsvSource(delimiter = '|', nullValues = "-", value = {
        // before | wanted | stages but that of all others | what each says, the last of what goes
        "one@a two@b | new@c two@b | - | one@a new@c two@b; new@c two@b",
        "one@a two@b | one@a:2 new@c | c | one@a two@b new@c; one@a:2 two@b new@c; one@a:2 new@c",
        "one@a two@b | GONE | - | none; gone",
        "one@a two@b | GONE | a | none; none; gone",
        "a-b | a-c | - | a-b-c; a-c",
        "- | one@a | - | one@a; none",
        "one@a | one@a:2 | - | one@a:2; none"})
    void whatGoesStaysUntilWhatComesIsThere(String before, String wanted, String stages, String each) {
        assertThat(told(before, wanted, new Stages(stages == null ? List.of() : devices(stages), true))).isEqualTo(listed(each));
    }

    @Test
    void underOneNameTheNewCannotBeBesideTheOld() {
        assertThatThrownBy(() -> told("one@a two@b", "one@c two@b", new Stages(List.of(), true))).isInstanceOf(ValidationFailure.class)
                .hasMessageContaining("s/sites/one would be at another device or port");
    }

    private static List<String> told(String before, String wanted, Stages stages) {
        Map<String, Map<String, Object>> standing = before == null ? Map.of() : Map.of("s", service(before));
        Map<String, Object> order = new TreeMap<>(Map.of("reason", "why", "services", wanted.equals("GONE") ? List.of() : List.of(named(wanted)), "remove", wanted.equals("GONE") ? List.of("s") : List.of()));
        return split(order, stages, standing).stream().map(StagesTest::told).map(StagesTest::sorted).toList();
    }

    private static List<Set<String>> devices(String stages) {
        return Arrays.stream(stages.split("; ")).map(stage -> Set.of(stage.split(","))).toList();
    }

    private static List<String> listed(String each) {
        return Arrays.stream(each.split("; ?", -1)).map(text -> text.equals("none") ? "" : sorted(text)).toList();
    }

    private static String sorted(String sites) {
        return Arrays.stream(sites.split(sites.contains("-") ? "-" : " ")).sorted().collect(Collectors.joining(" "));
    }

    private static Map<String, Object> named(String written) {
        Map<String, Object> service = new TreeMap<>(service(written));
        service.put("name", "s");
        return service;
    }

    @Test
    void renamedOnceAndExpandedLast() {
        Map<String, Object> wanted = named("one@a two@b");
        wanted.put("renamed_from", "old");
        Map<String, Object> order = Map.of("services", List.of(wanted), "refresh", List.of("r"), "move", List.of(Map.of("service", "m", "version", 2L)),
                "decisions", List.of(Map.of("device", "b", "path", "x", "decision", "leave")));

        List<Map<String, Object>> stages = split(order, List.of(Set.of("a")), Map.of("old", service("one@a two@b")));

        assertThat((Map<?, ?>) ((List<?>) stages.get(0).get("services")).get(0)).isEqualTo(new TreeMap<>(Map.of("name", "s", "renamed_from", "old", "tenant", "t", "model", "sites", "parameters", parameters("one@a two@b"))));
        assertThat(((Map<?, ?>) ((List<?>) stages.get(1).get("services")).get(0)).containsKey("renamed_from")).isFalse();
        assertThat(stages.get(0)).doesNotContainKeys("refresh", "move").containsEntry("decisions", List.of());
        assertThat(stages.get(1)).containsEntry("refresh", List.of("r")).containsKey("move").containsEntry("decisions", order.get("decisions"));
    }

    /** The last thing that is said of a service is what is wanted; nothing at a device of a later stage is touched before; no list gets too short. */
    @Test
    void inWhateverOrder() {
        long seed = new Random().nextLong();
        Random random = new Random(seed);
        for (int round = 0; round < 2_000; round++) {
            String before = random.nextInt(3) == 0 ? "" : sites(random);
            String after = random.nextInt(6) == 0 && !before.isEmpty() ? "" : sites(random);
            List<String> devices = new ArrayList<>(List.of("a", "b", "c", "d"));
            Collections.shuffle(devices, random);
            List<Set<String>> stages = List.of(Set.of(devices.get(0)), Set.of(devices.get(1)));
            Map<String, Object> order = Map.of("services", after.isEmpty() ? List.of() : List.of(named(after)), "remove", after.isEmpty() ? List.of("s") : List.of());
            String told = "seed " + seed + ": " + before + " → " + after + " in " + stages;

            List<Map<String, Object>> orders = split(order, stages, before.isEmpty() ? Map.of() : Map.of("s", service(before)));

            String now = before;
            for (int stage = 0; stage < orders.size(); stage++) {
                String said = told(orders.get(stage));
                if (!said.isEmpty()) {
                    Set<String> later = IntStream.range(stage + 1, 3).boxed().flatMap(each -> each < 2 ? stages.get(each).stream() : devices.subList(2, 4).stream()).collect(Collectors.toSet());
                    String next = said.equals("gone") ? "" : said;
                    assertThat(at(next, later)).as(told + ", stage " + stage).isEqualTo(at(now, later));
                    assertThat(next.isEmpty()).as(told + ", stage " + stage).isEqualTo(said.equals("gone"));
                    now = next;
                }
            }
            assertThat(sorted(now)).as(told).isEqualTo(sorted(after));
        }
    }

    private static String sites(Random random) {
        List<String> names = IntStream.range(0, 4).filter(each -> random.nextBoolean()).mapToObj(each -> "s" + each + "@" + "abcd".charAt(random.nextInt(4)) + (random.nextBoolean() ? ":2" : "")).toList();
        return names.isEmpty() ? "s9@a" : String.join(" ", names);
    }

    private static Set<String> at(String sites, Set<String> devices) {
        return Arrays.stream(sites.split(" ")).filter(site -> site.contains("@") && devices.contains(site.split("[@:]")[1])).collect(Collectors.toSet());
    }
}
