package rilvan.bench;

import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.Locale;
import java.util.Map;
import org.openjdk.jmh.results.RunResult;
import org.openjdk.jmh.runner.Runner;
import org.openjdk.jmh.runner.options.OptionsBuilder;
import org.openjdk.jmh.runner.options.VerboseMode;
import rilvan.core.plan.InMemoryPlanningSource;

/** Runs the measurements and prints them as a table. */
public final class Bench {

    private static final int DEVICES = 1000;
    private static final int SERVICES = 10_000;

    private Bench() {}

    /** {@code expansion} or {@code memory}; without arguments both. {@code transaction} or {@code size}, and where the product runs, from scripts of their own. */
    public static void main(String[] args) throws Exception {
        String models = System.getProperty("rilvan.models", "models");
        if (args.length == 0 || args[0].equals("expansion")) {
            Collection<RunResult> results = new Runner(new OptionsBuilder().include(Expansions.class.getSimpleName())
                    .jvmArgs("-Drilvan.models=" + models, "-XX:ActiveProcessorCount=1", "-Xms2g", "-Xmx2g").verbosity(VerboseMode.SILENT).build()).run();
            print(results);
        }
        if (args.length > 0 && args[0].equals("transaction")) {
            Transactions.main(args[1], args[2], Long.parseLong(args[3]), args[4], args[5]);
        }
        if (args.length > 0 && args[0].equals("size")) {
            Sizes.main(args[1], args[2], args[3], Long.parseLong(args[4]), Long.parseLong(args[5]), args[6], args[7], Integer.parseInt(args[8]));
        }
        if (args.length == 0 || args[0].equals("memory")) {
            memory();
        }
    }

    private static void print(Collection<RunResult> results) {
        Map<String, Integer> clauses = new LinkedHashMap<>();
        clauses.put("l3vpn50Sites", Networks.clauses(Networks.of(50, 1).plan(Networks.l3vpn("fifty", 50, 50, 0))));
        clauses.put("vpls200Edges", Networks.clauses(Networks.of(200, 1).plan(Networks.vpls(200))));
        clauses.put("l3vpn2000Sites", Networks.clauses(Networks.of(200, 1).plan(Networks.l3vpn("wide", 2000, 200, 0))));
        System.out.printf("%-22s %12s %10s %14s%n", "worked out, one core", "ms", "clauses", "clauses/s");
        for (RunResult result : results) {
            String name = result.getPrimaryResult().getLabel();
            double millis = result.getPrimaryResult().getScore();
            int count = clauses.getOrDefault(name, 0);
            System.out.printf(Locale.ROOT, "%-22s %7.1f ±%4.1f %10s %14s%n", name, millis, result.getPrimaryResult().getScoreError(),
                    count == 0 ? "" : count, count == 0 ? "" : String.format(Locale.ROOT, "%,.0f", count / millis * 1000));
        }
    }

    /** What a fleet of devices with their services takes: trees and ledgers of all devices, as they stand in memory. */
    private static void memory() {
        InMemoryPlanningSource source = Networks.of(DEVICES, 1);
        for (int i = 0; i < SERVICES; i++) {
            source.take(source.plan(Networks.l3vpn("v" + i, 2, DEVICES, 2 * i)));
        }
        System.gc();
        Runtime runtime = Runtime.getRuntime();
        System.out.printf(Locale.ROOT, "%n%,d devices with %,d services of two sites: %,d MiB of heap%n", DEVICES, SERVICES,
                (runtime.totalMemory() - runtime.freeMemory()) >> 20);
    }
}
