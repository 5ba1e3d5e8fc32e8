package rilvan.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.grack.nanojson.JsonArray;
import com.grack.nanojson.JsonObject;
import com.grack.nanojson.JsonParser;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.function.Predicate;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** Two instances behind one address, which a plain TCP proxy has: whoever works through it does not notice for long that one of them is lost. */
@Timeout(value = 4, unit = TimeUnit.MINUTES)
class ProxyTest {

    private static final String JSON = "application/json";
    private static final String ORDER = Product.example("l3vpn/examples/tidewater-clinics");
    private static Product product;
    private static Proxy proxy;
    private static String first;
    private static String second;

    /** Hands each connection on to the instance that it is set to; those that there are can be cut. */
    private static final class Proxy implements AutoCloseable {

        private final ServerSocket socket = new ServerSocket(0, 50, InetAddress.getLoopbackAddress());
        private final ExecutorService threads = Executors.newCachedThreadPool();
        private final List<Socket> open = new CopyOnWriteArrayList<>();
        private volatile URI to;

        private Proxy(String to) throws IOException {
            this.to = URI.create(to);
            threads.execute(() -> {
                while (!socket.isClosed()) {
                    try {
                        hand(socket.accept());
                    } catch (IOException e) {
                        // Closed, or whom it hands on to is gone.
                    }
                }
            });
        }

        private String address() {
            return "http://127.0.0.1:" + socket.getLocalPort();
        }

        private void hand(Socket near) throws IOException {
            open.add(near);
            try {
                Socket far = new Socket(to.getHost(), to.getPort());
                open.add(far);
                threads.execute(() -> copy(near, far));
                threads.execute(() -> copy(far, near));
            } catch (IOException e) {
                near.close();
            }
        }

        private static void copy(Socket from, Socket to) {
            try (from; to; InputStream in = from.getInputStream(); OutputStream out = to.getOutputStream()) {
                byte[] bytes = new byte[8192];
                for (int read = in.read(bytes); read >= 0; read = in.read(bytes)) {
                    out.write(bytes, 0, read);
                    out.flush();
                }
            } catch (IOException e) {
                // The other end is gone.
            }
        }

        private void set(String instance) throws IOException {
            to = URI.create(instance);
            for (Socket each : open) {
                each.close();
            }
            open.clear();
        }

        @Override
        public void close() throws IOException {
            socket.close();
            threads.shutdownNow();
        }
    }

    @BeforeAll
    static void start() throws Exception {
        product = new Product("proxy", Product.ROOT.resolve("models"), Map.of("RILVAN_DEVICE_TIMEOUT", "8s"));
        product.script("cut_service");
        first = launched(1);
        second = launched(2);
        proxy = new Proxy(first);
    }

    private static String launched(int number) throws Exception {
        String instance = product.launch(number);
        while (!product.isReady(instance)) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        return instance;
    }

    @AfterAll
    static void stop() throws Exception {
        proxy.close();
        product.close();
    }

    private static CompletableFuture<Product.Result> rilvan(String input, String... words) {
        return CompletableFuture.supplyAsync(() -> {
            try {
                return product.rilvanAt(proxy.address(), input, words);
            } catch (IOException | InterruptedException e) {
                throw new IllegalStateException(e);
            }
        });
    }

    /** The state of the latest order; empty where there is none. */
    private static String latest() throws Exception {
        JsonArray orders = JsonParser.array().from(product.request(second, "GET", "/api/v1/orders?limit=1", "", JSON).body());
        return orders.isEmpty() ? "" : orders.getObject(0).getString("state");
    }

    private static void await(String instance, String order, Predicate<JsonObject> wanted) throws Exception {
        while (!wanted.test(JsonParser.object().from(product.request(instance, "GET", order, "", JSON).body()).getObject("order"))) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
    }

    /** A device is in doubt: each instance says so, and whichever is told what somebody saw there, the order that the other one drives ends. */
    @Test
    void aDeviceInDoubtIsSeenAndResolvedAtAnyInstance() throws Exception {
        for (String driver : List.of(first, second)) {
            String other = driver.equals(first) ? second : first;
            product.fault("ternsay-pe1", "{\"trouble\":\"lose\",\"step\":\"commit\",\"seconds\":600}");
            String order = "/api/v1/orders/" + JsonParser.object().from(product.request(driver, "POST", "/api/v1/orders", ORDER, "application/yaml").body()).getLong("order");
            await(driver, order, each -> each.getBoolean("inDoubt"));
            await(other, order, each -> each.getBoolean("inDoubt"));
            String resolutions = order + "/devices/ternsay-pe1/resolutions";
            assertThat(product.request(other, "POST", resolutions.replace("ternsay-pe1", "haven-pe1"), "{\"holds\":\"before\"}", JSON).body()).contains("haven-pe1 is not in doubt in order");
            assertThat(product.request(other, "POST", resolutions, "{\"holds\":\"after\"}", JSON).body()).contains("ternsay-pe1 is resolved once it holds the state before the order");
            assertThat(product.request(other, "POST", resolutions, "{\"holds\":\"before\"}", JSON).statusCode()).isEqualTo(202);
            await(driver, order, each -> each.getString("state").equals("ROLLED_BACK"));
            assertThat(product.request(driver, "GET", order, "", JSON).body()).contains("resolved by engineer: the device holds the state before this order");
            assertThat(product.request(other, "POST", resolutions, "{\"holds\":\"before\"}", JSON).statusCode()).isEqualTo(409);
            assertThat(product.rilvan("", "lab", "clear", "ternsay-pe1").code()).isZero();
        }
    }

    /** The instance that drives an order is killed in the middle of it; who follows it through the proxy sees it go on and end. */
    @Test
    void anOrderIsFollowedToItsEndThoughItsInstanceIsKilled() throws Exception {
        assertThat(product.rilvan("", "lab", "slow", "ternsay-pe1", "commit", "--seconds", "9").code()).isZero();
        CompletableFuture<Product.Result> run = rilvan(ORDER, "order", "run", "-");
        while (!latest().equals("PREPARED")) {
            TimeUnit.MILLISECONDS.sleep(Product.BETWEEN_LOOKS_MILLIS);
        }
        product.script("cut 1");
        proxy.set(second);
        Product.Result result = run.get(90, TimeUnit.SECONDS);
        assertThat(result.output()).contains("the connection is lost; trying again").containsPattern("(done: all devices hold what was ordered|rolled back)");
        assertThat(latest()).isIn("DONE", "ROLLED_BACK");
        // Each step is shown once, whoever told of it.
        assertThat(result.output().lines().filter(line -> line.contains("planned")).count()).isLessThanOrEqualTo(1);
        first = launched(1);
        proxy.set(first);
    }
}
