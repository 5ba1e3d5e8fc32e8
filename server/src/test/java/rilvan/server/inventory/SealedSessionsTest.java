package rilvan.server.inventory;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.ArgumentMatchers.anyList;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.regex.Pattern;
import org.apache.commons.codec.digest.Crypt;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import rilvan.core.dialect.SecretText;
import rilvan.core.document.SecretSeal;
import rilvan.core.environment.Answer;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.server.keys.ParameterSeal;
/** Secrets are open on the device's side of a session only, whatever the device shows of them. */
class SealedSessionsTest {

    private static final String SECRET = "sail & <dawn>";
    private static final Pattern PLACE = Pattern.compile("<(key)>(?<secret>[^<]+)</key>");

    private final List<Request> sent = new ArrayList<>();
    private final DeviceSession device = mock(DeviceSession.class);
    private ParameterSeal seal;
    private String sealed;
    private Answer answer = new Answer.Done();

    private static ParameterSeal seal(int first) {
        byte[] key = new byte[32];
        key[0] = (byte) first;
        return new ParameterSeal(use -> List.of(key));
    }

    @BeforeEach
    void begin() throws Exception {
        seal = seal(1);
        sealed = seal.seal(SECRET);
        when(device.send(anyList())).thenAnswer(call -> {
            List<Request> flight = call.getArgument(0);
            sent.addAll(flight);
            return CompletableFuture.completedFuture(flight.stream().map(each -> answer).toList());
        });
    }

    private Answer send(SecretText.Form form, Request request, String... known) {
        SealedSessions sessions = new SealedSessions(name -> CompletableFuture.completedFuture(device), seal,
                name -> Optional.of(new SecretText(form, PLACE, PLACE, true)), name -> Set.of(known));
        return sessions.open("haven-pe1").toCompletableFuture().join().send(List.of(request)).toCompletableFuture().join().get(0);
    }

    private static String key(String value) {
        return "<peer><key>" + value + "</key><note>sail</note></peer>";
    }

    private static String escaped(String text) {
        return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;");
    }

    private static Answer.Data read(String value) {
        return new Answer.Data(key(value));
    }

    @ParameterizedTest
    @EnumSource
    void whatIsSentIsOpenOnTheDeviceAndNowhereElse(SecretText.Form form) {
        send(form, new Request.Change(key(sealed)));
        send(form, new Request.Edit(key(sealed), true));
        assertThat(sent).containsExactly(new Request.Change(key(escaped(SECRET))), new Request.Edit(key(escaped(SECRET)), true));
    }

    @Test
    void aSecretThatIsShownInClearIsSealed() {
        answer = read(escaped(SECRET));
        assertThat(send(SecretText.Form.CLEAR, new Request.Read(Request.Datastore.RUNNING, ""))).isEqualTo(read(sealed));
        answer = read("something else");
        assertThat(send(SecretText.Form.CLEAR, new Request.Read(Request.Datastore.RUNNING, ""))).isEqualTo(read(seal.seal("something else")));
    }

    /** Two devices show two hashes of one secret; neither is drift. A hash of anything else stays what it is, and is drift. */
    @Test
    void aHashIsFoundToBeOfTheSecretThatIsKnown() {
        for (String salt : List.of("$5$rounds=1000$aaaa", "$6$rounds=1000$bbbb", "$1$cccc")) {
            answer = read(Crypt.crypt(SECRET.getBytes(StandardCharsets.UTF_8), salt));
            assertThat(send(SecretText.Form.CRYPT_HASH, new Request.Read(Request.Datastore.RUNNING, ""), sealed, seal.seal("another"))).isEqualTo(read(sealed));
        }
        answer = read(Crypt.crypt("typed by hand".getBytes(StandardCharsets.UTF_8), "$5$rounds=1000$aaaa"));
        assertThat(send(SecretText.Form.CRYPT_HASH, new Request.Read(Request.Datastore.RUNNING, ""), sealed)).isEqualTo(answer);
        answer = read("no hash");
        assertThat(send(SecretText.Form.CRYPT_HASH, new Request.Read(Request.Datastore.RUNNING, ""), sealed)).isEqualTo(answer);
    }

    @Test
    void aComplaintDoesNotRepeatTheSecret() {
        answer = new Answer.Refused(List.of(new Answer.Fault("invalid-value", "key " + SECRET, "bad key '" + escaped(SECRET) + "', " + SECRET)));
        assertThat(send(SecretText.Form.CLEAR, new Request.Change(key(sealed)))).isEqualTo(new Answer.Refused(List.of(
                new Answer.Fault("invalid-value", "key " + sealed, "bad key '(secret)', (secret)"))));
    }

    @Test
    void whatAnotherKeyHasSealedIsNotSent() throws Exception {
        String foreign = seal(2).seal(SECRET);
        assertThat(foreign).isNotEqualTo(sealed);
        assertThat(send(SecretText.Form.CLEAR, new Request.Change(key(foreign)))).isInstanceOfSatisfying(Answer.Refused.class,
                refused -> assertThat(refused.message()).contains("write the secret in an order again"));
        assertThat(sent).isEmpty();
        for (String wrong : List.of(SecretSeal.MARK, SecretSeal.MARK + "AAAA", sealed + "A", foreign)) {
            assertThatThrownBy(() -> seal.open(wrong)).isInstanceOf(IllegalArgumentException.class);
        }
    }

    @Test
    void theSameSecretHasTheSameSealAndNoOther() {
        assertThat(seal.seal(SECRET)).isEqualTo(sealed).matches("\\$sealed\\$[A-Za-z0-9_-]+").doesNotContain("sail");
        assertThat(seal.open(sealed)).isEqualTo(SECRET);
        assertThat(seal.seal(SECRET + ".")).isNotEqualTo(sealed);
    }
}
