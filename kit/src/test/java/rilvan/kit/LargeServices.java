package rilvan.kit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;

/** Orders over dozens of places, and generated networks that they fit; for tests of the kit and of the whole product. */
public final class LargeServices {

    private LargeServices() {}

    /**
     * A network of a number of devices.
     *
     * @param role pe or leaf for all devices; vpls for four network-facing devices and user-facing ones otherwise
     */
    public static void write(Path folder, int devices, String role) throws IOException {
        new Archipelago(devices, 6).write(folder);
        Path file = folder.resolve("network.yaml");
        String network = Files.readString(file);
        for (int i = devices; i >= 1; i--) {
            String as = role.equals("vpls") ? i <= 4 ? "npe" : "upe" : role;
            network = network.replaceFirst("(name: isle-" + i + "\\b[\\s\\S]*?role: )pe\\b", "$1" + as);
        }
        Files.writeString(file, network);
        if (role.equals("leaf")) {
            withoutLabels(folder.resolve("devices"));
        }
    }

    /** In a data hall routes come by EVPN alone: over labels they would come all the same where VXLAN is broken. */
    private static void withoutLabels(Path devices) throws IOException {
        List<Path> files;
        try (Stream<Path> all = Files.list(devices)) {
            files = all.toList();
        }
        for (Path device : files) {
            Files.writeString(device, Files.readString(device).replaceAll("(?m)^ *(<family>vpn(6|-ipv[46])?</family>|family vpn6?)\\n", ""));
        }
    }

    private static String l3vpn(int sites, int devices, String first, String others) {
        return "services:\n  - name: large\n    tenant: Skerry Council\n    model: l3vpn\n    parameters:\n      sites:\n" + IntStream.range(0, sites).mapToObj(i -> String.format(
                "        - { name: s%d, device: isle-%d, port: access-%d, tag: %d, address: 192.0.2.%d/31, customer: 192.0.2.%d, address6: \"2001:db8:%x::/127\", customer6: \"2001:db8:%x::1\", "
                        + "routes: [198.51.100.%d/30], role: %s }%n", i, i % devices + 1, i / devices % 6 + 1, 100 + i / devices, 2 * i, 2 * i + 1, i + 1, i + 1, 4 * i, i == 0 ? first : others))
                .collect(Collectors.joining());
    }

    public static String hubAndSpoke(int sites, int devices) {
        return l3vpn(sites, devices, "hub", "spoke");
    }

    public static String anyToAny(int sites, int devices) {
        return l3vpn(sites, devices, "any", "any");
    }

    /** Four network-facing devices in a mesh; all others are user-facing, each with a circuit and a spoke to two of them. */
    public static String hierarchicalVpls(int devices) {
        return "services:\n  - name: large\n    tenant: Skerry Council\n    model: vpls\n    parameters:\n      circuits:\n"
                + IntStream.rangeClosed(1, devices).mapToObj(i -> String.format("        - { name: c%d, device: isle-%d, port: access-1, tag: 700 }%n", i, i)).collect(Collectors.joining())
                + "      spokes:\n" + IntStream.rangeClosed(5, devices).mapToObj(i -> String.format("        - { device: isle-%d, main: isle-%d, backup: isle-%d }%n", i, i % 4 + 1, (i + 1) % 4 + 1))
                        .collect(Collectors.joining());
    }

    /** Two routers with two segments each, whose ports are on all leaves. */
    public static String tenant(int ports, int devices) {
        return "services:\n  - name: large\n    tenant: Skerry Council\n    model: tenant\n    parameters:\n      routers: [{ name: one }, { name: two }]\n      segments:\n"
                + IntStream.range(0, 4).mapToObj(i -> String.format("        - { name: seg%d, router: %s, gateway: 198.51.100.%d/26 }%n", i, i < 2 ? "one" : "two", 64 * i + 1)).collect(Collectors.joining())
                + "      ports:\n" + IntStream.range(0, ports).mapToObj(i -> String.format("        - { name: p%d, segment: seg%d, device: isle-%d, port: access-%d, tag: %d }%n",
                        i, i / devices % 4, i % devices + 1, i / devices + 1, 50 + i / devices)).collect(Collectors.joining());
    }
}
