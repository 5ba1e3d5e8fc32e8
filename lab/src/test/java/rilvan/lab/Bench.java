package rilvan.lab;

import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;

/** A lab of the demo network on a free port, without delays, for tests. */
final class Bench {

    static final Path MODELS = Path.of("../models");

    private Bench() {}

    static Lab lab(Path folder, int port) throws Exception {
        Path network = folder.resolve("network.yaml");
        Files.writeString(network, Files.readString(MODELS.resolve("demo/network.yaml")).replace("port: 8830", "port: " + port));
        return new Lab(new Lab.Setup(network, MODELS.resolve("demo/devices"), MODELS.resolve("dialects"),
                folder.resolve("state"), "rilvan", "secret", 0, 0));
    }

    static int freePort() throws IOException {
        try (ServerSocket socket = new ServerSocket(0, 1, InetAddress.getByName("127.20.0.1"))) {
            return socket.getLocalPort();
        }
    }
}
