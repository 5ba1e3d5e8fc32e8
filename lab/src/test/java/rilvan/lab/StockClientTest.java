package rilvan.lab;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;

/** The lab's NETCONF driven by a client that nobody here wrote: the stock {@code ssh -s … netconf}, bytes by hand. */
@Timeout(60)
class StockClientTest {

    private static final String HELLO = """
            <?xml version="1.0"?><hello xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><capabilities>%s</capabilities></hello>]]>]]>""";
    private static final String BASE = "<capability>urn:ietf:params:netconf:base:%s</capability>";

    @TempDir
    private Path folder;

    @Test
    void bothFramingsAndErrorsAreSpokenAsTheRfcHasThem() throws Exception {
        int port = Bench.freePort();
        try (Lab lab = Bench.lab(folder, port)) {
            assertThat(lab.devices()).hasSize(31);
            try (Ssh ssh = new Ssh(port)) {
                String hello = ssh.until("]]>]]>");
                assertThat(hello).contains("netconf:base:1.1", "candidate:1.0", "confirmed-commit:1.1", "<session-id>1</session-id>",
                        "urn:quern:vpn?module=quern-vpn&amp;revision=2026-11-29");
                ssh.send(HELLO.formatted(BASE.formatted("1.0")));
                ssh.send(rpc("7", "<get-config><source><running/></source><filter type='subtree'><system xmlns='urn:quern:system'><name/></system></filter></get-config>")
                        + "]]>]]>");
                assertThat(ssh.until("]]>]]>")).contains("message-id=\"7\"", "<name>haven-pe1</name>").doesNotContain("location");
                ssh.send(rpc("8", "<copy-config><target><startup/></target><source><running/></source></copy-config>") + "]]>]]>");
                assertThat(ssh.until("]]>]]>")).contains("<error-tag>operation-not-supported</error-tag>");
                ssh.send(rpc("s", "<get-schema xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring'><identifier>quern-vpn</identifier></get-schema>") + "]]>]]>");
                assertThat(ssh.until("]]>]]>")).contains("<data xmlns=\"urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring\">module quern-vpn {", "prefix qv;");
                ssh.send(rpc("t", "<get-schema xmlns='urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring'><identifier>none</identifier></get-schema>") + "]]>]]>");
                assertThat(ssh.until("]]>]]>")).contains("<error-tag>invalid-value</error-tag>", "there is no module none");
                ssh.send(rpc("9", "<close-session/>") + "]]>]]>");
                assertThat(ssh.until("]]>]]>")).contains("<ok/>");
            }
            try (Ssh ssh = new Ssh(port)) {
                ssh.until("]]>]]>");
                ssh.send(HELLO.formatted(BASE.formatted("1.0") + BASE.formatted("1.1")));
                String request = rpc("1", "<lock><target><running/></target></lock>");
                // Three chunks for one message, and the next one right behind it.
                ssh.send("\n#4\n" + request.substring(0, 4) + "\n#1\n" + request.charAt(4) + "\n#" + (request.length() - 5) + "\n"
                        + request.substring(5) + "\n##\n" + chunk(rpc("2", "<unlock><target><candidate/></target></unlock>")));
                assertThat(ssh.until("\n##\n")).contains("message-id=\"1\"", "<ok/>");
                assertThat(ssh.until("\n##\n")).contains("message-id=\"2\"", "<error-tag>operation-failed</error-tag>");
                // Told of what somebody does by hand, between two answers (RFC 5277).
                ssh.send(chunk(rpc("n", "<create-subscription xmlns='urn:ietf:params:xml:ns:netconf:notification:1.0'/>")));
                assertThat(ssh.until("\n##\n")).contains("message-id=\"n\"", "<ok/>");
                lab.devices().get("haven-pe1").typed("<system xmlns='urn:quern:system'><location>moved</location></system>");
                assertThat(ssh.until("\n##\n")).contains("<notification xmlns=\"urn:ietf:params:xml:ns:netconf:notification:1.0\"><eventTime>", "<changed-by><server/></changed-by>",
                        "<edit><target xmlns:n=\"urn:quern:system\">/n:system</target><operation>merge</operation></edit>");
                ssh.send(chunk("<rpc xmlns='urn:ietf:params:xml:ns:netconf:base:1.0'><get/></rpc>"));
                assertThat(ssh.until("\n##\n")).contains("<error-tag>missing-attribute</error-tag>");
                ssh.send(chunk("<rpc message-id='3'"));
                assertThat(ssh.until("\n##\n")).contains("<error-tag>malformed-message</error-tag>");
            }
        }
    }

    private static String rpc(String id, String operation) {
        return "<rpc xmlns=\"urn:ietf:params:xml:ns:netconf:base:1.0\" message-id=\"" + id + "\">" + operation + "</rpc>";
    }

    private static String chunk(String message) {
        return "\n#" + message.length() + "\n" + message + "\n##\n";
    }

    /** The stock client as a process; the password reaches it through its askpass program. */
    private final class Ssh implements AutoCloseable {
        private final Process process;
        private final InputStream in;
        private final OutputStream out;

        Ssh(int port) throws IOException {
            Path askpass = folder.resolve("askpass");
            if (!Files.exists(askpass)) {
                Files.writeString(askpass, "#!/bin/sh\necho secret\n");
                Files.setPosixFilePermissions(askpass, PosixFilePermissions.fromString("rwx------"));
            }
            ProcessBuilder builder = new ProcessBuilder(List.of("ssh", "-F", "/dev/null", "-T", "-o", "StrictHostKeyChecking=no",
                    "-o", "UserKnownHostsFile=/dev/null", "-o", "LogLevel=ERROR", "-o", "PubkeyAuthentication=no", "-p",
                    Integer.toString(port), "-s", "rilvan@127.20.0.1", "netconf"));
            builder.environment().put("SSH_ASKPASS", askpass.toString());
            builder.environment().put("SSH_ASKPASS_REQUIRE", "force");
            builder.redirectError(ProcessBuilder.Redirect.INHERIT);
            process = builder.start();
            in = process.getInputStream();
            out = process.getOutputStream();
        }

        void send(String text) throws IOException {
            out.write(text.getBytes(StandardCharsets.UTF_8));
            out.flush();
        }

        String until(String end) throws IOException {
            StringBuilder text = new StringBuilder();
            while (text.indexOf(end) < 0) {
                int next = in.read();
                if (next < 0) {
                    throw new IOException("the session ended after: " + text);
                }
                text.append((char) next);
            }
            return text.toString();
        }

        @Override
        public void close() throws Exception {
            out.close();
            if (!process.waitFor(10, TimeUnit.SECONDS)) {
                process.destroyForcibly();
            }
        }
    }
}
