package rilvan.bench;

import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Level;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.Setup;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.Warmup;
import rilvan.core.plan.InMemoryPlanningSource;
import rilvan.core.plan.OrderDocument;
import rilvan.core.plan.Plan;

/** How long it takes to work an order out: expansion, native text, ledgers and differences, on one core, by a service that has run for a while. */
@State(Scope.Benchmark)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.MILLISECONDS)
@Fork(1)
@Warmup(iterations = 8, time = 4)
@Measurement(iterations = 6, time = 3)
public class Expansions {

    private InMemoryPlanningSource small;
    private InMemoryPlanningSource mesh;
    private InMemoryPlanningSource wide;
    private InMemoryPlanningSource standing;
    private OrderDocument fifty;
    private OrderDocument vpls;
    private OrderDocument sites;
    private OrderDocument oneLess;

    /** Networks and orders; the last estate has the VPN of 2,000 sites standing. */
    @Setup(Level.Trial)
    public void prepare() {
        small = Networks.of(50, 1);
        fifty = Networks.l3vpn("fifty", 50, 50, 0);
        mesh = Networks.of(200, 1);
        vpls = Networks.vpls(200);
        wide = Networks.of(200, 1);
        sites = Networks.l3vpn("wide", 2000, 200, 0);
        standing = Networks.of(200, 1);
        standing.take(standing.plan(sites));
        oneLess = Networks.l3vpn("wide", 1999, 200, 0);
    }

    /** A layer 3 VPN of 50 sites. */
    @Benchmark
    public Plan l3vpn50Sites() {
        return small.plan(fifty);
    }

    /** A VPLS of 200 edges: 19,900 pseudowires, both ends. */
    @Benchmark
    public Plan vpls200Edges() {
        return mesh.plan(vpls);
    }

    /** A layer 3 VPN of 2,000 sites. */
    @Benchmark
    public Plan l3vpn2000Sites() {
        return wide.plan(sites);
    }

    /** The same VPN, standing, with one site less. */
    @Benchmark
    public Plan oneSiteOf2000Goes() {
        return standing.plan(oneLess);
    }
}
