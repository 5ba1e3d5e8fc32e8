package rilvan.bench;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.channel.ChannelSubsystem;
import org.apache.sshd.client.channel.ClientChannel;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.channel.BufferedIoOutputStream;
import org.apache.sshd.common.io.IoInputStream;
import org.apache.sshd.common.io.IoOutputStream;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.core.CoreModuleProperties;

/**
 * Sends flights of requests over warm NETCONF sessions, side by side, and waits for each flight's answers before the next. It
 * looks for the ends of messages and whether one is an error, and at nothing else.
 */
final class BareClient implements AutoCloseable {

    private static final String NETCONF = "urn:ietf:params:xml:ns:netconf:base:1.0";
    private static final byte[] END_OF_HELLO = "]]>]]>".getBytes(StandardCharsets.US_ASCII);
    private static final byte[] END_OF_CHUNKS = "\n##\n".getBytes(StandardCharsets.US_ASCII);

    private final SshClient ssh = SshClient.setUpDefaultClient();
    private final List<Session> sessions = new ArrayList<>();

    /** One device's session. */
    private static final class Session {
        private final IoOutputStream out;
        private byte[] end = END_OF_HELLO;
        private int matched;
        private int expected = 1;
        private CountDownLatch arrived;
        private final StringBuilder seen = new StringBuilder();

        Session(ChannelSubsystem channel, CountDownLatch greeted) throws IOException {
            out = new BufferedIoOutputStream("bare", channel.getChannelId(), channel.getAsyncIn(), channel);
            arrived = greeted;
            read(channel.getAsyncOut());
            write("<hello xmlns=\"" + NETCONF + "\"><capabilities><capability>urn:ietf:params:netconf:base:1.1</capability></capabilities></hello>]]>]]>");
        }

        private void write(String text) throws IOException {
            out.writeBuffer(new ByteArrayBuffer(text.getBytes(StandardCharsets.UTF_8)));
        }

        private void read(IoInputStream in) {
            ByteArrayBuffer buffer = new ByteArrayBuffer(32 * 1024);
            in.read(buffer).addListener(future -> {
                if (future.getException() == null) {
                    take(buffer.array(), buffer.rpos(), buffer.available());
                    read(in);
                }
            });
        }

        private void take(byte[] bytes, int from, int length) {
            seen.append(new String(bytes, from, length, StandardCharsets.ISO_8859_1));
            for (int i = from; i < from + length; i++) {
                matched = bytes[i] == end[matched] ? matched + 1 : bytes[i] == end[0] ? 1 : 0;
                if (matched == end.length) {
                    matched = 0;
                    if (--expected == 0) {
                        if (seen.indexOf("<rpc-error") >= 0) {
                            throw new IllegalStateException("refused: " + seen);
                        }
                        seen.setLength(0);
                        end = END_OF_CHUNKS;
                        arrived.countDown();
                    }
                }
            }
        }

        private void send(List<String> operations, CountDownLatch latch) throws IOException {
            expected = operations.size();
            arrived = latch;
            for (int i = 0; i < operations.size(); i++) {
                String rpc = "<rpc xmlns=\"" + NETCONF + "\" message-id=\"" + i + "\">" + operations.get(i) + "</rpc>";
                write("\n#" + rpc.getBytes(StandardCharsets.UTF_8).length + "\n" + rpc + "\n##\n");
            }
        }
    }

    BareClient() {
        CoreModuleProperties.TCP_NODELAY.set(ssh, true);
        ssh.setServerKeyVerifier((session, address, key) -> true);
        ssh.start();
    }

    /** Opens a session with each address. */
    void open(List<String> addresses, int port, String user, String password) throws IOException, InterruptedException {
        CountDownLatch greeted = new CountDownLatch(addresses.size());
        for (String address : addresses) {
            ClientSession session = ssh.connect(user, address, port).verify(20_000).getSession();
            session.addPasswordIdentity(password);
            session.auth().verify(20_000);
            ChannelSubsystem channel = session.createSubsystemChannel("netconf");
            channel.setStreaming(ClientChannel.Streaming.Async);
            channel.open().verify(20_000);
            sessions.add(new Session(channel, greeted));
        }
        greeted.await();
    }

    /** Sends each flight to all devices side by side, one flight after the other. */
    void run(List<List<String>> flights) throws IOException, InterruptedException {
        for (List<String> flight : flights) {
            CountDownLatch latch = new CountDownLatch(sessions.size());
            for (Session session : sessions) {
                session.send(flight, latch);
            }
            latch.await();
        }
    }

    @Override
    public void close() {
        ssh.stop();
    }
}
