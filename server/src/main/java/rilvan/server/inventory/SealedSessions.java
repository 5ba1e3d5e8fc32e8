package rilvan.server.inventory;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import java.util.function.Function;
import org.apache.commons.codec.digest.Crypt;
import rilvan.core.dialect.SecretText;
import rilvan.core.document.Secret;
import rilvan.core.document.SecretSeal;
import rilvan.core.environment.Answer;
import rilvan.core.environment.ConfigurationNotice;
import rilvan.core.environment.DeviceSession;
import rilvan.core.environment.Request;
import rilvan.core.environment.Sessions;

/**
 * Sessions in which secrets are sealed on this side and open on the device's. What is sent has its secrets opened; what a device shows of them is
 * sealed again before anything else sees it: the secret itself, or the hash that is found to be that of a secret which is known for the device.
 */
final class SealedSessions implements Sessions {

    private static final int MOST_HASHES = 10_000;

    private final Sessions sessions;
    private final SecretSeal seal;
    private final Function<String, Optional<SecretText>> places;
    private final Function<String, Set<String>> known;
    // What a hash was found to be of. A hash has a salt: it is of one secret, whichever device shows it.
    private final Map<String, String> sealedByHash = new ConcurrentHashMap<>();

    /**
     * @param places where a device's native text contains secrets
     * @param known the sealed secrets that may be on a device
     */
    SealedSessions(Sessions sessions, SecretSeal seal, Function<String, Optional<SecretText>> places, Function<String, Set<String>> known) {
        this.sessions = sessions;
        this.seal = seal;
        this.places = places;
        this.known = known;
    }

    @Override
    public CompletionStage<DeviceSession> open(String device) {
        CompletableFuture<DeviceSession> opened = new CompletableFuture<>();
        // What it fails with is handed on as it is: whoever waits looks at its kind.
        sessions.open(device).whenComplete((session, failure) -> {
            if (failure != null) {
                opened.completeExceptionally(failure);
            } else {
                opened.complete(places.apply(device).map(text -> (DeviceSession) new Sealed(device, session, text)).orElse(session));
            }
        });
        return opened;
    }

    /** What a device shows at the place of a secret, sealed; a hash that is of none that is known stays what it is. */
    private String sealed(String device, SecretText.Form form, String shown, Candidates candidates) {
        if (form == SecretText.Form.CLEAR) {
            return seal.seal(shown);
        }
        String found = sealedByHash.get(shown);
        if (found != null) {
            return found;
        }
        for (Map.Entry<String, String> candidate : candidates.of(device).entrySet()) {
            if (isHashOf(shown, candidate.getValue())) {
                if (sealedByHash.size() >= MOST_HASHES) {
                    sealedByHash.clear();
                }
                sealedByHash.put(shown, candidate.getKey());
                return candidate.getKey();
            }
        }
        return shown;
    }

    private static boolean isHashOf(String hash, String secret) {
        try {
            return hash.startsWith("$") && Crypt.crypt(secret.getBytes(StandardCharsets.UTF_8), hash).equals(hash);
        } catch (IllegalArgumentException e) {
            return false;
        }
    }

    /** The secrets that may be on a device, looked up once for each answer that needs them. */
    private final class Candidates {

        private final Map<String, String> sent;
        private Map<String, String> all;

        Candidates(Map<String, String> sent) {
            this.sent = sent;
        }

        Map<String, String> of(String device) {
            if (all == null) {
                all = new LinkedHashMap<>(sent);
                known.apply(device).forEach(sealed -> all.computeIfAbsent(sealed, SealedSessions.this::opened));
                all.values().removeIf(String::isEmpty);
            }
            return all;
        }
    }

    /** The secret, or an empty text where it was sealed with another key. */
    private String opened(String sealed) {
        try {
            return seal.open(sealed);
        } catch (IllegalArgumentException e) {
            return "";
        }
    }

    private final class Sealed implements DeviceSession {

        private final String device;
        private final DeviceSession session;
        private final SecretText text;

        Sealed(String device, DeviceSession session, SecretText text) {
            this.device = device;
            this.session = session;
            this.text = text;
        }

        @Override
        public CompletionStage<List<Answer>> send(List<Request> flight) {
            Map<String, String> sent = new LinkedHashMap<>();
            List<Request> opened = new ArrayList<>();
            try {
                flight.forEach(request -> opened.add(opened(request, sent)));
            } catch (IllegalArgumentException e) {
                // The key of the store is another one; nothing is sent.
                return CompletableFuture.completedFuture(flight.stream().map(request -> (Answer) new Answer.Refused(List.of(
                        new Answer.Fault("operation-failed", "", e.getMessage() + "; write the secret in an order again")))).toList());
            }
            return session.send(opened).thenApply(answers -> {
                Candidates candidates = new Candidates(sent);
                return answers.stream().map(answer -> sealed(answer, sent, candidates)).toList();
            });
        }

        private Request opened(Request request, Map<String, String> sent) {
            if (request instanceof Request.Edit edit) {
                return new Request.Edit(opened(edit.config(), sent), edit.tested());
            }
            return request instanceof Request.Change change ? new Request.Change(opened(change.config(), sent)) : request;
        }

        private String opened(String config, Map<String, String> sent) {
            return Secret.replaced(config, sealed -> text.written(sent.computeIfAbsent(sealed, seal::open)));
        }

        private Answer sealed(Answer answer, Map<String, String> sent, Candidates candidates) {
            if (answer instanceof Answer.Data data) {
                return new Answer.Data(text.replaced(data.text(), shown -> SealedSessions.this.sealed(device, text.form(), shown, candidates)));
            }
            if (answer instanceof Answer.Refused refused) {
                return new Answer.Refused(refused.faults().stream().map(fault -> sealed(fault, sent)).toList());
            }
            return answer instanceof Answer.Done done ? new Answer.Done(done.warnings().stream().map(fault -> sealed(fault, sent)).toList()) : answer;
        }

        /** A device may repeat what it was sent in its complaint. */
        private Answer.Fault sealed(Answer.Fault fault, Map<String, String> sent) {
            String path = fault.path();
            String message = fault.message();
            for (Map.Entry<String, String> each : sent.entrySet()) {
                path = path.replace(text.written(each.getValue()), each.getKey()).replace(each.getValue(), each.getKey());
                message = message.replace(text.written(each.getValue()), Secret.MASK).replace(each.getValue(), Secret.MASK);
            }
            return new Answer.Fault(fault.tag(), path, message);
        }

        @Override
        public String id() {
            return session.id();
        }

        @Override
        public Set<String> capabilities() {
            return session.capabilities();
        }

        @Override
        public CompletionStage<Boolean> listen(Consumer<ConfigurationNotice> to) {
            return session.listen(to);
        }

        @Override
        public boolean isOpen() {
            return session.isOpen();
        }

        @Override
        public void close() {
            session.close();
        }
    }
}
