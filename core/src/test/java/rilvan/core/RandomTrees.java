package rilvan.core;

import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import rilvan.core.tree.Node;
import rilvan.core.tree.Path;
import rilvan.core.tree.Step;

/** Random configuration trees that the Quern schema allows, small enough to meet the same paths again and again. */
public final class RandomTrees {

    private final Random random;

    public RandomTrees(long seed) {
        random = new Random(seed);
    }

    /** A fresh seed, or the one given by {@code -Drilvan.seed=…} to repeat a failure that printed it. */
    public static long seed() {
        return Long.getLong("rilvan.seed", System.nanoTime());
    }

    public Random random() {
        return random;
    }

    public Node tree() {
        Node tree = Node.EMPTY;
        for (int i = random.nextInt(12); i > 0; i--) {
            tree = put(tree, leaf());
        }
        return tree;
    }

    /** The tree with something at a path: entries on the way are there in their own right, as on a device. */
    public Node put(Node tree, Path path) {
        Node result = tree;
        Path way = Path.ROOT;
        for (Step step : path.steps()) {
            way = way.child(step);
            Node there = result.at(way).orElse(Node.EMPTY);
            boolean last = way.equals(path);
            if (!step.keys().isEmpty() && !there.present()) {
                result = result.with(way, new Node(true, "", there.children()));
            } else if (last && step.keys().isEmpty()) {
                result = result.with(way, Node.leaf(value(step.name())));
            }
        }
        return result;
    }

    private String value(String leaf) {
        return switch (leaf) {
            case "mtu" -> Integer.toString(1500 + random.nextInt(3));
            case "rd" -> "64500:" + random.nextInt(3);
            case "enabled" -> random.nextBoolean() ? "true" : "false";
            default -> "text & <" + random.nextInt(3) + ">";
        };
    }

    public Path leaf() {
        String port = "access-" + (1 + random.nextInt(3));
        String circuit = "/ports/port[" + port + "]/circuit[" + (100 + random.nextInt(3)) + "]";
        List<String> leaves = new ArrayList<>(List.of(
                "/ports/port[" + port + "]", "/ports/port[" + port + "]/mtu",
                "/ports/port[" + port + "]/description", circuit, circuit + "/description", circuit + "/enabled",
                "/vpn/vrf[V" + random.nextInt(3) + "]", "/vpn/vrf[V" + random.nextInt(3) + "]/rd",
                "/vpn/vrf[V" + random.nextInt(3) + "]/route-targets/import[64500:" + random.nextInt(3) + "]", "/system/location"));
        return Path.parse(leaves.get(random.nextInt(leaves.size())));
    }
}
