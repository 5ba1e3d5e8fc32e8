package rilvan.protocol;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.SocketTimeoutException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import rilvan.core.dialect.CommandLine;
import rilvan.core.dialect.Dialect;
import rilvan.core.document.Document;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.core.environment.Request.Datastore;
import rilvan.core.environment.Sessions;
import rilvan.core.network.Device;
import rilvan.core.network.NetworkDocument;
import rilvan.lab.Lab;
import rilvan.lab.device.Faults;

/** Our client against the lab's server, which shares no code with it, over real SSH. */
@Timeout(60)
class SessionPoolTest {

    private static final Path MODELS = Path.of("../models");
    /** For devices that answer, however busy the machine is. */
    private static final Duration PATIENCE = Duration.ofSeconds(30);
    /** For tests in which this time runs out. */
    private static final Duration SHORT = Duration.ofSeconds(2);

    @TempDir
    private static Path folder;
    private static Lab lab;
    private static int port;

    @BeforeAll
    static void switchOn() throws Exception {
        try (ServerSocket socket = new ServerSocket(0, 1, InetAddress.getByName("127.20.0.1"))) {
            port = socket.getLocalPort();
        }
        Path network = folder.resolve("network.yaml");
        Files.writeString(network, Files.readString(MODELS.resolve("demo/network.yaml")).replace("port: 8830", "port: " + port));
        lab = new Lab(new Lab.Setup(network, MODELS.resolve("demo/devices"), MODELS.resolve("dialects"),
                folder.resolve("state"), "rilvan", "secret", 0, 0));
    }

    /** A test that fails leaves none of its faults to the next. */
    @AfterEach
    void clearFaults() {
        lab.devices().values().forEach(each -> each.faults().clear());
    }

    @AfterAll
    static void switchOff() throws Exception {
        lab.close();
    }

    /** Sessions with devices of all families, each behind its own address. */
    private static SessionPool everywhere() throws Exception {
        return everywhere(PATIENCE);
    }

    private static SessionPool everywhere(Duration answerTime) throws Exception {
        Map<String, Device> devices = NetworkDocument.read(Document.read(Files.readString(folder.resolve("network.yaml")))).devices();
        Optional<CommandLine> brae = Dialect.read(MODELS.resolve("dialects/brae")).commandLine();
        return new SessionPool(device -> new Target(device, devices.get(device).address(), port, "rilvan", "secret",
                Set.of(lab.hostKeys().get(device)), devices.get(device).family().equals("brae") ? brae : Optional.empty()), limits(answerTime), SessionObserver.NONE);
    }

    @Test
    void aRunningOnlyDeviceSavesOnRequest() throws Exception {
        try (SessionPool sessions = everywhere(); DeviceSession session = sessions.open("olvar-pe1").toCompletableFuture().join()) {
            assertThat(session.capabilities()).contains("urn:ietf:params:netconf:capability:writable-running:1.0")
                    .doesNotContain("urn:ietf:params:netconf:base:1.1");
            String row = "<port-row xmlns=\"urn:tarn:config\"><port>access-9</port><note>here</note><octets>9192</octets></port-row>";
            List<Answer> answers = send(session, new Request.Lock(Datastore.RUNNING), new Request.Change(row),
                    new Request.Read(Datastore.RUNNING, "<port-row xmlns=\"urn:tarn:config\"><port>access-9</port></port-row>"),
                    new Request.Read(Datastore.STARTUP, ""), new Request.Change("<port-row xmlns=\"urn:tarn:config\"><port>bad name</port></port-row>"),
                    new Request.Save(), new Request.Read(Datastore.STARTUP, ""), new Request.Unlock(Datastore.RUNNING));
            // What is the default is not shown.
            assertThat(((Answer.Data) answers.get(2)).text()).contains("<note>here</note>").doesNotContain("octets");
            assertThat(((Answer.Data) answers.get(3)).text()).doesNotContain("access-9");
            assertThat(((Answer.Refused) answers.get(4)).faults().get(0).tag()).isEqualTo("invalid-value");
            assertThat(((Answer.Data) answers.get(6)).text()).contains("access-9");
            assertThat(answers.get(7)).isEqualTo(new Answer.Done());
        }
    }

    @Test
    void aCommandLineIsSentLineByLineAndReadBack() throws Exception {
        try (SessionPool sessions = everywhere(); DeviceSession session = sessions.open("skarn-pe1").toCompletableFuture().join();
                DeviceSession other = sessions.open("skarn-pe1").toCompletableFuture().join()) {
            String before = ((Answer.Data) send(session, new Request.Read(Datastore.RUNNING, "")).get(0)).text();
            assertThat(before).startsWith("hostname skarn-pe1\n").contains("\nroutes own\n ospf core-1 0 area 0.0.0.0\n");
            List<Answer> answers = send(session, new Request.Change("table V\n rd 64500:1\n exit\npart access-1 7\n table V\n address 192.0.2.0/31\n exit"),
                    new Request.Read(Datastore.RUNNING, ""), new Request.Read(Datastore.STARTUP, ""));
            assertThat(answers.get(0)).isEqualTo(new Answer.Done());
            assertThat(((Answer.Data) answers.get(1)).text()).contains("part access-1 7\n table V\n address 192.0.2.0/31\n");
            assertThat(((Answer.Data) answers.get(2)).text()).isEqualTo(before);
            // What was typed before the line that is refused stands; the device says which line and why.
            Answer.Refused refused = (Answer.Refused) send(session, new Request.Change("part access-1 7\n note half\n payload 1\n note never\n exit")).get(0);
            assertThat(refused.faults().get(0)).isEqualTo(new Answer.Fault("operation-failed", "payload 1", "refused: '1' is no <576-9216>"));
            assertThat(((Answer.Data) send(session, new Request.Read(Datastore.RUNNING, "")).get(0)).text()).contains(" note half\n").doesNotContain("never");
            // Moving a part to another table drops its addresses.
            assertThat(send(session, new Request.Change("drop table V")).get(0)).isInstanceOf(Answer.Refused.class);
            assertThat(send(session, new Request.Change("part access-1 7\n drop table V\n exit\ndrop table V"))).containsOnly(new Answer.Done());
            assertThat(((Answer.Data) send(session, new Request.Read(Datastore.RUNNING, "")).get(0)).text()).doesNotContain("192.0.2.0/31");
            assertThat(send(session, new Request.Change("drop part access-1 7"), new Request.Save())).containsOnly(new Answer.Done());
            assertThat(((Answer.Data) send(session, new Request.Read(Datastore.STARTUP, "")).get(0)).text()).isEqualTo(before);
            assertThat(send(other, new Request.EndSession(session.id()))).containsOnly(new Answer.Done());
            assertThat(((Answer.Refused) send(other, new Request.EndSession(session.id())).get(0)).faults().get(0).tag()).isEqualTo("invalid-value");
            assertThat(send(session, new Request.Read(Datastore.RUNNING, "")).get(0)).isInstanceOf(Answer.Lost.class);
        }
    }

    private static SessionPool.Limits limits(Duration answerTime) {
        return new SessionPool.Limits(answerTime, Duration.ofMinutes(1), 6, 2, 1_000);
    }

    private static SessionPool sessions(String password, Set<String> hostKeys) {
        return new SessionPool(device -> new Target(device, "127.20.0.1", port, "rilvan", password, hostKeys, Optional.empty()), limits(PATIENCE), SessionObserver.NONE);
    }

    private static SessionPool sessions() {
        return sessions("secret", Set.of(lab.hostKeys().get("haven-pe1")));
    }

    private static List<Answer> send(DeviceSession session, Request... flight) {
        return session.send(List.of(flight)).toCompletableFuture().join();
    }

    @Test
    void pipelinedRequestsAreAnsweredInOrderRefusalsWithTagAndPath() {
        try (SessionPool sessions = sessions(); DeviceSession session = sessions.open("haven-pe1").toCompletableFuture().join()) {
            List<Answer> answers = send(session, new Request.Lock(Datastore.CANDIDATE), new Request.Lock(Datastore.CANDIDATE),
                    new Request.Read(Datastore.RUNNING, "<system xmlns=\"urn:quern:system\"><name/></system>"),
                    new Request.Edit("<vpn xmlns=\"urn:quern:vpn\"><vrf><name>V</name><rd>x</rd></vrf></vpn>", false),
                    new Request.Discard(), new Request.Unlock(Datastore.CANDIDATE));
            assertThat(answers.get(0)).isEqualTo(new Answer.Done());
            assertThat(((Answer.Refused) answers.get(1)).faults().get(0).tag()).isEqualTo("lock-denied");
            assertThat(((Answer.Data) answers.get(2)).text()).contains("<name>haven-pe1</name>").contains("urn:quern:system");
            assertThat(((Answer.Refused) answers.get(3)).faults().get(0).path()).isEqualTo("/vpn/vrf[name='V']/rd");
            assertThat(answers.subList(4, 6)).containsOnly(new Answer.Done());
        }
    }

    @Test
    void aReleasedSessionIsUsedAgain() {
        try (SessionPool sessions = sessions()) {
            DeviceSession first = sessions.open("haven-pe1").toCompletableFuture().join();
            first.close();
            DeviceSession second = sessions.open("haven-pe1").toCompletableFuture().join();
            assertThat(second.id()).isEqualTo(first.id());
            DeviceSession third = sessions.open("haven-pe1").toCompletableFuture().join();
            assertThat(third.id()).isNotEqualTo(first.id());
        }
    }

    @Test
    void sessionsOfADeviceAreLimitedAndFurtherRequestsWait() {
        try (SessionPool sessions = sessions()) {
            List<DeviceSession> six = Stream.generate(() -> sessions.open("haven-pe1").toCompletableFuture().join()).limit(6).toList();
            CompletableFuture<DeviceSession> seventh = sessions.open("haven-pe1").toCompletableFuture();
            CompletableFuture<DeviceSession> eighth = sessions.open("haven-pe1").toCompletableFuture();
            assertThat(seventh).isNotDone();
            six.get(2).close();
            // Given back twice is given back once.
            six.get(2).close();
            assertThat(seventh.join().id()).isEqualTo(six.get(2).id());
            assertThat(eighth).isNotDone();
            seventh.join().close();
            assertThat(eighth.join().id()).isEqualTo(six.get(2).id());
        }
    }

    @Test
    void nobodyWaitsInLineForEverAndWhoHasGoneTakesNoTurn() throws Exception {
        try (SessionPool sessions = everywhere(SHORT)) {
            List<DeviceSession> six = Stream.generate(() -> opened(sessions, "haven-pe1")).limit(6).toList();
            assertThatThrownBy(() -> sessions.open("haven-pe1").toCompletableFuture().join()).hasMessageContaining("all 6 are in use");
            six.get(0).close();
            assertThat(opened(sessions, "haven-pe1").id()).isEqualTo(six.get(0).id());
        }
    }

    /** A session from a pool whose time is short, where the machine may be too busy to open one in that time. */
    private static DeviceSession opened(SessionPool sessions, String device) {
        while (true) {
            try {
                return sessions.open(device).toCompletableFuture().join();
            } catch (CompletionException e) {
                assertThat(e).hasMessageContaining("no session within");
            }
        }
    }

    @Test
    void aCancelledRequestLosesItsSession() {
        try (SessionPool sessions = sessions()) {
            DeviceSession session = sessions.open("haven-pe1").toCompletableFuture().join();
            assertThat(session.capabilities()).contains("urn:ietf:params:netconf:capability:confirmed-commit:1.1");
            // More than can have been answered by the time the session is closed.
            var answers = session.send(java.util.Collections.nCopies(2_000, new Request.Read(Datastore.RUNNING, ""))).toCompletableFuture();
            session.close();
            assertThat(answers.join()).contains(new Answer.Lost("cancelled"));
            assertThat(sessions.open("haven-pe1").toCompletableFuture().join().id()).isNotEqualTo(session.id());
        }
    }

    @Test
    void aConfirmedCommitIsConfirmedByItsPersistIdFromAnotherSession() {
        try (SessionPool sessions = sessions(); DeviceSession other = sessions.open("haven-pe1").toCompletableFuture().join()) {
            DeviceSession session = sessions.open("haven-pe1").toCompletableFuture().join();
            assertThat(send(session, new Request.Edit("<system xmlns=\"urn:quern:system\"><location>moved</location></system>", false),
                    new Request.Validate(), new Request.ConfirmedCommit("token", 60))).containsOnly(new Answer.Done());
            assertThat(send(other, new Request.EndSession(session.id()))).containsOnly(new Answer.Done());
            assertThat(send(session, new Request.Validate()).get(0)).isInstanceOf(Answer.Lost.class);
            assertThat(session.isOpen()).isFalse();
            assertThat(send(other, new Request.Cancel("wrong")).get(0)).isInstanceOf(Answer.Refused.class);
            assertThat(send(other, new Request.Cancel("token"))).containsOnly(new Answer.Done());
            assertThat(((Answer.Data) send(other, new Request.Read(Datastore.RUNNING, "")).get(0)).text()).doesNotContain("moved");
        }
    }

    @Test
    void aRefusalHoldsTheDevicesErrorFields() {
        lab.devices().get("haven-pe1").faults().once(Faults.FaultPoint.VALIDATE, new Faults.Trouble.Refusal("no room <left> & none to come", ""));
        try (SessionPool sessions = sessions(); DeviceSession session = sessions.open("haven-pe1").toCompletableFuture().join()) {
            assertThat(((Answer.Refused) send(session, new Request.Validate()).get(0)).message())
                    .isEqualTo("no room <left> & none to come (operation-failed)");
        }
    }

    /** Both families' ways: requests that come behind one that takes long are answered after it, in order. */
    @ParameterizedTest
    @ValueSource(strings = {"haven-pe1", "skarn-pe1"})
    void aDeviceThatTakesLongIsWaitedForAndOneThatSaysNothingIsNot(String device) throws Exception {
        Datastore running = Datastore.RUNNING;
        Request change = device.equals("haven-pe1") ? new Request.Edit("<system xmlns=\"urn:quern:system\"><location>slowly</location></system>", false)
                : new Request.Change("place slowly");
        Faults faults = lab.devices().get(device).faults();
        try (SessionPool sessions = everywhere(); DeviceSession session = sessions.open(device).toCompletableFuture().join()) {
            faults.once(Faults.FaultPoint.EDIT, new Faults.Trouble.Slowness(Duration.ofMillis(300)));
            List<Answer> answers = send(session, change, new Request.Read(device.equals("haven-pe1") ? Datastore.CANDIDATE : running, ""));
            assertThat(answers.get(0)).isEqualTo(new Answer.Done());
            assertThat(((Answer.Data) answers.get(1)).text()).contains("slowly");
        }
        try (SessionPool sessions = everywhere(SHORT); DeviceSession session = opened(sessions, device)) {
            faults.once(Faults.FaultPoint.EDIT, new Faults.Trouble.Silence());
            assertThat(send(session, change, new Request.Read(running, ""))).hasOnlyElementsOfType(Answer.Lost.class);
        }
        faults.restart(Duration.ZERO);
        assertThat(lab.devices().get(device).running()).doesNotContain("slowly");
        faults.during(Duration.ofMinutes(1), Faults.FaultPoint.SIGN_IN, new Faults.Trouble.Refusal("", ""));
        for (int i = 0; i < 2; i++) {
            try (SessionPool sessions = everywhere()) {
                assertThatThrownBy(() -> sessions.open(device).toCompletableFuture().join()).hasMessageContaining("refused the credential of user 'rilvan'");
            }
        }
    }

    @Test
    void aLockHeldByAnotherSessionIsRefused() throws Exception {
        try (SessionPool sessions = everywhere(); DeviceSession session = sessions.open("ternsay-pe1").toCompletableFuture().join()) {
            lab.devices().get("ternsay-pe1").lockedByAnother(Duration.ofMinutes(1));
            assertThat(((Answer.Refused) send(session, new Request.Lock(Datastore.CANDIDATE)).get(0)).faults().get(0).tag()).isEqualTo("lock-denied");
            assertThatThrownBy(() -> lab.devices().get("skarn-pe1").lockedByAnother(Duration.ofMinutes(1))).hasMessageContaining("has no locks");
        }
    }

    /** Whoever lets go of a device without unlocking it leaves no lock to others. */
    @Test
    void aSessionThatIsGivenBackLockedIsEnded() throws Exception {
        try (SessionPool sessions = everywhere()) {
            DeviceSession left = sessions.open("ternsay-pe1").toCompletableFuture().join();
            assertThat(send(left, new Request.Lock(Datastore.CANDIDATE), new Request.Lock(Datastore.RUNNING)).get(1)).isInstanceOf(Answer.Done.class);
            left.close();
            try (DeviceSession next = sessions.open("ternsay-pe1").toCompletableFuture().join()) {
                assertThat(next.id()).isNotEqualTo(left.id());
                // The device learns of the end of a session by its connection.
                while (!(send(next, new Request.Lock(Datastore.CANDIDATE)).get(0) instanceof Answer.Done)) {
                    assertThat(next.isOpen()).isTrue();
                }
                assertThat(send(next, new Request.Unlock(Datastore.CANDIDATE)).get(0)).isInstanceOf(Answer.Done.class);
                assertThat(send(next, new Request.Lock(Datastore.CANDIDATE), new Request.Unlock(Datastore.CANDIDATE)).get(1)).isInstanceOf(Answer.Done.class);
            }
            try (DeviceSession again = sessions.open("ternsay-pe1").toCompletableFuture().join()) {
                assertThat(again.isOpen()).isTrue();
            }
        }
    }

    @Test
    void aDeviceWithAnotherHostKeyIsRefused() throws Exception {
        assertCannot(sessions("secret", Set.of()), lab.hostKeys().get("haven-pe1") + " (ecdsa-sha2-nistp256) is not trusted yet");
        String other = "SHA256:" + "A".repeat(43);
        assertCannot(sessions("secret", Set.of(other)), lab.hostKeys().get("haven-pe1") + " (ecdsa-sha2-nistp256), but " + other + " is trusted");
        // Of several kinds of keys the one that is negotiated counts.
        try (SessionPool both = sessions("secret", Set.of(other, lab.hostKeys().get("haven-pe1"))); DeviceSession session = both.open("haven-pe1").toCompletableFuture().join()) {
            assertThat(session.isOpen()).isTrue();
        }
        assertCannot(sessions("wrong", Set.of(lab.hostKeys().get("haven-pe1"))), "refused the credential of user 'rilvan'");
        assertCannot(new SessionPool(device -> new Target(device, "127.20.0.99", port, "rilvan", "secret", Set.of(), Optional.empty()), limits(PATIENCE), SessionObserver.NONE), "nothing answers at 127.20.0.99:" + port);
    }

    @Test
    void aSilentDeviceTimesOut() throws Exception {
        try (ServerSocket silent = new ServerSocket(0, 5, InetAddress.getByName("127.0.0.1"))) {
            assertCannot(new SessionPool(device -> new Target(device, "127.0.0.1", silent.getLocalPort(), "rilvan", "secret", Set.of(), Optional.empty()),
                    limits(Duration.ofMillis(300)), SessionObserver.NONE), "no session within");
        }
    }

    /** However often that happens, and however far the attempt has come, no connection is left open, and each attempt gets its turn. */
    @ParameterizedTest
    @ValueSource(ints = {1, 2, 4, 50})
    void theConnectionToASilentDeviceIsClosed(int milliseconds) throws Exception {
        int attempts = 50;
        try (ServerSocket silent = new ServerSocket(0, attempts, InetAddress.getByName("127.0.0.1"));
                SessionPool sessions = new SessionPool(device -> new Target(device, "127.0.0.1", silent.getLocalPort(), "rilvan", "secret", Set.of(), Optional.empty()),
                        limits(Duration.ofMillis(milliseconds)), SessionObserver.NONE)) {
            for (int i = 0; i < attempts; i++) {
                assertThatThrownBy(() -> sessions.open("haven-pe1").toCompletableFuture().join()).hasMessageContaining("no session within");
            }
            // An attempt that failed early enough has made no connection.
            silent.setSoTimeout(1_000);
            while (true) {
                try (Socket peer = silent.accept()) {
                    // Ends only when the client closes its side.
                    peer.setSoTimeout(20_000);
                    peer.getInputStream().readAllBytes();
                } catch (SocketTimeoutException e) {
                    assertThat(e).as("a connection that is left open").hasMessageContaining("Accept");
                    break;
                }
            }
        }
    }

    @Test
    void aSessionThatWasSignedInOtherwiseIsNotUsedAgain() {
        AtomicReference<String> password = new AtomicReference<>("secret");
        try (SessionPool sessions = new SessionPool(device -> new Target(device, "127.20.0.1", port, "rilvan", password.get(),
                Set.of(lab.hostKeys().get("haven-pe1")), Optional.empty()), limits(PATIENCE), SessionObserver.NONE)) {
            DeviceSession first = sessions.open("haven-pe1").toCompletableFuture().join();
            DeviceSession second = sessions.open("haven-pe1").toCompletableFuture().join();
            first.close();
            password.set("changed");
            sessions.endOutdated();
            assertThat(first.isOpen()).isFalse();
            second.close();
            assertThatThrownBy(() -> sessions.open("haven-pe1").toCompletableFuture().join()).hasMessageContaining("refused the credential");
            assertThat(second.isOpen()).isFalse();
        }
    }

    private static void assertCannot(SessionPool sessions, String message) {
        try (sessions) {
            assertThatThrownBy(() -> sessions.open("haven-pe1").toCompletableFuture().join()).isInstanceOf(CompletionException.class)
                    .cause().isInstanceOf(Sessions.CannotOpen.class).hasMessageContaining(message).hasMessageNotContaining("secret");
        }
    }
}
