package rilvan.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What a person and a script see of what the service answers: each command as a process of its own, the service as answers by path. */
class ConversationTest {

    private record Reply(int status, String type, String body, String link) {
        private Reply(int status, String type, String body) {
            this(status, type, body, "");
        }
    }

    private record Seen(int code, String output) {}

    private final Map<String, Reply> replies = new HashMap<>();
    private final List<String> asked = Collections.synchronizedList(new ArrayList<>());
    private HttpServer service;

    @TempDir
    private Path folder;

    @BeforeEach
    void start() throws IOException {
        service = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
        service.createContext("/", exchange -> {
            String what = exchange.getRequestMethod() + " " + exchange.getRequestURI();
            asked.add(what + " " + exchange.getRequestHeaders().getFirst("Authorization"));
            Reply reply = replies.getOrDefault(what, new Reply(404, "application/problem+json", "{\"title\":\"Not found\",\"detail\":\"there is no " + what + "\"}"));
            byte[] body = reply.body().getBytes(StandardCharsets.UTF_8);
            exchange.getResponseHeaders().set("Content-Type", reply.type());
            if (!reply.link().isEmpty()) {
                exchange.getResponseHeaders().set("Link", "<" + reply.link() + ">; rel=\"next\"");
            }
            exchange.sendResponseHeaders(reply.status(), body.length);
            exchange.getResponseBody().write(body);
            exchange.close();
        });
        service.start();
        Files.writeString(folder.resolve("session"), address() + "\nthe-token\n");
    }

    @AfterEach
    void stop() {
        service.stop(0);
    }

    private String address() {
        return "http://127.0.0.1:" + service.getAddress().getPort();
    }

    private void answers(String what, String json) {
        replies.put(what, new Reply(200, "application/json", json.replace('\'', '"')));
    }

    private void refuses(String what, int status, String json) {
        replies.put(what, new Reply(status, "application/problem+json", json.replace('\'', '"')));
    }

    private Seen rilvan(String... arguments) throws Exception {
        List<String> command = new ArrayList<>(List.of(Path.of(System.getProperty("java.home"), "bin", "java").toString(), "-XX:TieredStopAtLevel=1", "-cp",
                System.getProperty("java.class.path"), "rilvan.cli.Rilvan"));
        command.addAll(List.of(arguments));
        ProcessBuilder builder = new ProcessBuilder(command).redirectErrorStream(true);
        builder.environment().put("RILVAN_SESSION", folder.resolve("session").toString());
        builder.environment().put("RILVAN_LAB", address());
        builder.environment().remove("RILVAN_COLOR");
        Process process = builder.start();
        process.getOutputStream().close();
        String output = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        return new Seen(process.waitFor(), output);
    }

    private static String lines(String... lines) {
        return String.join("\n", lines) + "\n";
    }

    @Test
    void aListIsATableForPeopleAndJsonForPrograms() throws Exception {
        answers("GET /api/v1/devices", "[{'name':'haven-pe1','role':'pe','site':'Haven','family':'quern','address':'127.20.0.1','trusted':true,'readAt':'2026-11-01T08:09:10Z','heldBy':7,'services':['a','b']},"
                + "{'name':'olvar-upe1','role':'upe','site':'Olvar','family':'tarn','address':'127.20.0.2','trusted':false,'readAt':null,'heldBy':null,'services':[]}]");
        assertThat(rilvan("device", "list")).isEqualTo(new Seen(0, lines(
                "DEVICE      ROLE  SITE   FAMILY  ADDRESS     READ                  SERVICES",
                "haven-pe1   pe    Haven  quern   127.20.0.1  held by order 7       a, b",
                "olvar-upe1  upe   Olvar  tarn    127.20.0.2  host key not trusted  ")));
        assertThat(rilvan("device", "list", "--json").output()).startsWith("[").contains("\"heldBy\"");
        assertThat(asked).allMatch(each -> each.endsWith(" Bearer the-token"));
    }

    @Test
    void aListIsWholeHoweverManyPagesItHas() throws Exception {
        String service = "[{\"name\":\"%s\",\"tenant\":\"Kelp & Co\",\"model\":\"l2vpn\",\"modelVersion\":1,\"suspended\":\"NO\",\"devices\":[]}]";
        String next = "/api/v1/services?search=kelp&after=kelp-a";
        replies.put("GET /api/v1/services?search=kelp", new Reply(200, "application/json", service.formatted("kelp-a"), next));
        replies.put("GET " + next, new Reply(200, "application/json", service.formatted("kelp-b")));
        assertThat(rilvan("service", "list", "kelp").output()).containsSubsequence("kelp-a", "kelp-b");
    }

    @Test
    void ofOrdersTheLatestAreListedAndWhereTheEarlierOnesAre() throws Exception {
        String order = "[{'id':%d,'createdAt':'2026-11-01T08:09:10Z','state':'DONE','inDoubt':false,'who':'anna','services':[],'reason':'a wire'}]";
        answers("GET /api/v1/orders", order.formatted(7));
        answers("GET /api/v1/orders?before=7", order.formatted(1));
        assertThat(rilvan("order", "list").output()).endsWith("earlier ones: the same with --before 7\n");
        assertThat(rilvan("order", "list", "--before", "7").output()).contains("a wire").doesNotContain("earlier");
    }

    @Test
    void devicesAreToldOfInOrderAndOneThatIsAwayKeepsNoOtherFromBeingRead() throws Exception {
        answers("POST /api/v1/devices/haven-pe1/readings", "{'device':'haven-pe1','changes':{}}");
        refuses("POST /api/v1/devices/olvar-pe1/readings", 502, "{'title':'Bad gateway','detail':'olvar-pe1: the device ended the session'}");
        answers("POST /api/v1/devices/skarn-pe1/readings", "{'device':'skarn-pe1','changes':{'/place':'CHANGED'}}");
        assertThat(rilvan("device", "read", "haven-pe1", "olvar-pe1", "skarn-pe1")).isEqualTo(new Seen(1, lines(
                "haven-pe1 read: no change since the last reading",
                "not read: olvar-pe1: the device ended the session",
                "skarn-pe1 read: changed outside Rilvan:",
                "  CHANGED  /place")));
    }

    @Test
    void aServiceThatDoesNotWorkSaysWhereAndHowFarAPacketCame() throws Exception {
        String check = "{'observation':'reach','wanted':%s,'from':'haven-pe1 access-1','to':'%s','observer':'haven-ce1','target':'%s','covers':'%s','passed':%s,'value':'%s','path':'%s'}";
        answers("POST /api/v1/services/clinics/checks", "[" + String.join(",",
                check.formatted("true", "ternsay-pe1 access-1", "ternsay-ce1 192.0.2.3", "END_TO_END", "false", "0 of 3 answered: no answer", "haven-ce1 > haven-pe1 in V, and back ternsay-ce1"),
                check.formatted("false", "olvar-pe1 access-1", "olvar-pe1 192.0.2.4", "TO_THE_HANDOFF", "true", "0 of 3 answered (must not)", ""),
                check.formatted("true", "skarn-pe1 access-1", "skarn-pe1 192.0.2.6", "NOT_TESTABLE_YET", "true", "no router is known there yet", "")) + "]");
        assertThat(rilvan("service", "check", "clinics")).isEqualTo(new Seen(1, lines(
                "RESULT            CHECK     FROM                TO                    VALUE",
                "fail              reach     haven-pe1 access-1  ternsay-pe1 access-1  0 of 3 answered: no answer",
                "pass              no reach  haven-pe1 access-1  olvar-pe1 access-1    0 of 3 answered (must not)",
                "not testable yet  reach     haven-pe1 access-1  skarn-pe1 access-1    no router is known there yet",
                "path from haven-ce1 to ternsay-ce1 192.0.2.3: haven-ce1 > haven-pe1 in V, and back ternsay-ce1")));
    }

    @Test
    void whatIsRefusedNamesEachFieldAtFault() throws Exception {
        Path order = Files.writeString(folder.resolve("order.yaml"), "services: []\n");
        refuses("POST /api/v1/previews", 422, "{'title':'Refused','detail':'the order is refused','errors':[{'pointer':'/services/0/parameters/sites/1/tag','detail':'110 is in use'},"
                + "{'pointer':'','detail':'nothing stands'}]}");
        assertThat(rilvan("order", "preview", order.toString())).isEqualTo(new Seen(Failure.REFUSED, lines("rilvan: the order is refused",
                "  /services/0/parameters/sites/1/tag", "      110 is in use", "  nothing stands")));
    }

    @Test
    void anOrderIsFollowedToItsEnd() throws Exception {
        Path order = Files.writeString(folder.resolve("order.yaml"), "services: []\n");
        answers("POST /api/v1/orders", "{'order':null,'preview':{'changesNothing':true,'readAt':'2026-01-02T03:04:05Z','guarantee':'No device changes.','drift':[{'device':'haven-pe1','path':'/vpn/vrf[V]/rd','ordered':'1:1','found':'1:2','services':['clinics']}]}}");
        assertThat(rilvan("order", "run", order.toString())).isEqualTo(new Seen(0, lines(
                "no change: the devices already hold what this order asks for, as they were read (the earliest reading is of 2026-01-02 03:04:05)", "Changed outside Rilvan, and not changed by this order:",
                "  haven-pe1 /vpn/vrf[V]/rd is '1:2'; ordered: '1:1' for clinics")));
        answers("POST /api/v1/orders", "{'order':7}");
        replies.put("GET /api/v1/orders/7/events", new Reply(200, "text/event-stream", lines("event:state", "data:{\"state\":\"WAITING\"}", "",
                "event:step", "data:{\"seq\":1,\"device\":\"haven-pe1\",\"phase\":\"LOCK_AND_READ\",\"result\":\"FAILED\",\"text\":\"it was changed outside Rilvan\"}", "")));
        answers("GET /api/v1/orders/7", "{'order':{'id':7,'state':'ROLLED_BACK','failure':'haven-pe1 differs from what Rilvan expects','faults':[{'device':'haven-pe1','path':'/vpn/vrf','owners':[{'service':'clinics','clause':'vrf','pointer':'/services/0'}]}],'services':[{'service':'clinics','kind':'ADD','leftOut':''}],"
                + "'waitsBehind':[{'order':6,'names':['haven-pe1']}],'inDoubt':false},'checks':[],'events':[],'devices':{}}");
        Seen seen = rilvan("order", "run", order.toString());
        assertThat(seen.code()).isEqualTo(Failure.FAILED);
        assertThat(seen.output()).startsWith(lines("order 7", "  waiting for order 6 (haven-pe1)")).contains("failed: it was changed outside Rilvan")
                .endsWith(lines("rolled back: every device has the configuration that it had before the order", "  haven-pe1 differs from what Rilvan expects",
                        "    /vpn/vrf belongs to clinics, clause vrf, from /services/0"));
    }

    @Test
    void whoIsNotSignedInOrReachesNobodyIsToldWhatToDo() throws Exception {
        refuses("GET /api/v1/devices", 401, "{}");
        assertThat(rilvan("device", "list")).isEqualTo(new Seen(Failure.NOT_REACHED, lines("rilvan: signed in too long ago; run: rilvan sign-in --user NAME")));
        replies.put("GET /api/v1/devices", new Reply(200, "text/html", "<html>"));
        assertThat(rilvan("device", "list")).isEqualTo(new Seen(Failure.NOT_REACHED, lines("rilvan: " + address() + " does not answer as Rilvan does")));
        service.stop(0);
        assertThat(rilvan("device", "list")).isEqualTo(new Seen(Failure.NOT_REACHED, lines("rilvan: nothing answers at " + address() + "; is the service running?")));
        Files.delete(folder.resolve("session"));
        assertThat(rilvan("device", "list")).isEqualTo(new Seen(Failure.NOT_REACHED, lines("rilvan: not signed in; run: rilvan sign-in --user NAME")));
    }

    @Test
    void theLabIsAskedPastTheService() throws Exception {
        answers("POST /trace", "{'there':['haven-ce1','haven-pe1 in V'],'back':[],'lost':'haven-pe1 has no route in V'}");
        assertThat(rilvan("lab", "trace", "haven-ce1", "198.51.100.65")).isEqualTo(new Seen(1, lines("there  haven-ce1, haven-pe1 in V", "lost   haven-pe1 has no route in V")));
        answers("POST /devices/haven-pe1/faults", "{}");
        assertThat(rilvan("lab", "pretend", "haven-pe1", "commit")).isEqualTo(new Seen(0, lines("haven-pe1 will answer ok without doing its next commit")));
        assertThat(asked).noneMatch(each -> each.contains("the-token"));
    }

    @Test
    void aFileThatIsNoTextIsRefusedByItsName() throws Exception {
        Path file = folder.resolve("order.yaml");
        Files.write(file, new byte[] {(byte) 0xff, (byte) 0xfe});
        Seen seen = rilvan("order", "preview", file.toString());
        assertThat(seen.code()).isEqualTo(3);
        assertThat(seen.output()).contains(file + " is not text in UTF-8");
        assertThat(rilvan("order", "preview", folder.toString()).code()).isEqualTo(3);
        assertThat(asked).isEmpty();
    }
}
