package rilvan.kit;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import rilvan.core.dialect.Template;

/**
 * A network of any size for the lab to play: provider edges of all shipped families on a ring of islands, each two cables and some
 * ports for customers, and two of them that reflect routes. Addresses are those set apart for benchmarks (RFC 2544, RFC 6890).
 */
final class Archipelago {

    private static final List<String> FAMILIES = List.of("quern", "tarn", "brae");
    private static final int REFLECTORS = 2;
    private static final int IN_A_ROW = 40;

    private final int size;
    private final List<String> access = new ArrayList<>();

    /**
     * @param size how many devices, 3 to 32,000
     * @param ports how many ports for customers each has
     */
    Archipelago(int size, int ports) {
        this.size = size;
        for (int i = 1; i <= ports; i++) {
            access.add("access-" + i);
        }
    }

    /** Writes {@code network.yaml}, {@code devices/} and, where there is none yet, {@code tenants.yaml}, as the folder {@code demo} of a folder of models has them. */
    void write(Path folder) throws IOException {
        Files.createDirectories(folder.resolve("devices"));
        List<Map<String, Object>> devices = new ArrayList<>();
        List<Map<String, Object>> links = new ArrayList<>();
        for (int i = 0; i < size; i++) {
            devices.add(Map.of("name", name(i), "family", family(i), "role", "pe", "site", "Island " + i / 2, "x", 20 + i % IN_A_ROW * 24, "y", 20 + i / IN_A_ROW * 24,
                    "address", "127." + (30 + i / 62500) + "." + i / 250 % 250 + "." + (i % 250 + 1), "loopback", loopback(i), "access", access));
            links.add(Map.of("a", name(i) + " core-2", "b", name((i + 1) % size) + " core-1"));
            boolean lines = family(i).equals("brae");
            Files.writeString(folder.resolve("devices/" + name(i) + (lines ? ".txt" : ".xml")), filled(family(i) + (lines ? ".txt" : ".xml"), device(i)));
        }
        if (Files.notExists(folder.resolve("tenants.yaml"))) {
            Files.writeString(folder.resolve("tenants.yaml"), "tenants: [{ name: Skerry Council }]\n");
        }
        Files.writeString(folder.resolve("network.yaml"), filled("network.yaml", Map.of("devices", devices, "links", links)));
    }

    private Map<String, Object> device(int i) {
        List<Map<String, Object>> peers = new ArrayList<>();
        for (int other = 0; other < (i < REFLECTORS ? size : REFLECTORS); other++) {
            if (other != i) {
                peers.add(Map.of("address", loopback(other), "name", name(other), "client", i < REFLECTORS && other >= REFLECTORS));
            }
        }
        int before = (i + size - 1) % size;
        Map<String, Object> values = new LinkedHashMap<>();
        values.put("name", name(i));
        values.put("place", "Island " + i / 2);
        values.put("loopback", loopback(i));
        values.put("access", access);
        values.put("links", List.of(Map.of("port", "core-1", "far", name(before), "address", onLink(2 * before + 1)),
                Map.of("port", "core-2", "far", name((i + 1) % size), "address", onLink(2 * i))));
        values.put("peers", peers);
        return values;
    }

    private static String name(int i) {
        return "isle-" + (i + 1);
    }

    /** Reflectors are of the first family. */
    private static String family(int i) {
        return i < REFLECTORS ? FAMILIES.get(0) : FAMILIES.get(i % FAMILIES.size());
    }

    private static String loopback(int i) {
        return "198.18." + i / 256 + "." + i % 256;
    }

    private static String onLink(int i) {
        return "198.19." + i / 256 + "." + i % 256;
    }

    private static String filled(String file, Map<String, Object> values) throws IOException {
        try (InputStream in = Archipelago.class.getResourceAsStream("/archipelago/" + file)) {
            String text = new String(in.readAllBytes(), StandardCharsets.UTF_8);
            return (file.endsWith(".xml") ? Template.xml(file, text) : Template.lines(file, text)).fill(values);
        }
    }
}
