package rilvan.server.access;

import java.time.Duration;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.stereotype.Component;
import rilvan.server.acts.Act;
import rilvan.server.acts.ActLog;
import rilvan.server.acts.ActLog.Result;
import rilvan.server.acts.Origin;

/** Holds a password against an account's; guessing is slowed and logged, and nothing tells whether there is such an account. */
@Component
public class PasswordCheck {

    private static final Logger LOG = LoggerFactory.getLogger(PasswordCheck.class);
    private static final int LONGEST_NAME = 64;

    private final People people;
    private final Guesses guesses;
    private final ActLog acts;

    PasswordCheck(People people, Guesses guesses, ActLog acts) {
        this.people = people;
        this.guesses = guesses;
        this.acts = acts;
    }

    /** Too many sign-ins were refused to this account, or from this address: the next one waits. */
    public static final class TooMany extends RuntimeException {

        private final Duration pause;

        TooMany(Duration pause) {
            super("too many sign-ins were refused; try again in " + seconds(pause) + " s");
            this.pause = pause;
        }

        private static long seconds(Duration pause) {
            return pause.toSeconds() + 1;
        }

        /** How long the next one waits, in whole seconds. */
        public long seconds() {
            return seconds(pause);
        }
    }

    /** @throws TooMany where it has to wait; the password is not looked at then */
    boolean isRight(String account, String password, String address) {
        guesses.begin(account, address).ifPresent(pause -> {
            LOG.warn("sign-in not tried: account '{}', from {}, for another {} s", shown(account), address, pause.toSeconds() + 1);
            throw new TooMany(pause);
        });
        if (people.isRight(account, password)) {
            guesses.signedIn(account, address);
            return true;
        }
        LOG.warn("sign-in refused: account '{}', from {}", shown(account), address);
        acts.add(new Origin(shown(account), address, 0, RequestNumber.present()), "sign in", new Act(), Result.REFUSED, "the password is not this account's, or there is no such account");
        return false;
    }

    /** What was given as a name may be anything: it is cut, and has no line breaks. Sign-ins that have to wait are not in the log of acts, which a guesser could fill. */
    private static String shown(String account) {
        String name = account.replaceAll("\\p{Cntrl}", "?");
        return name.substring(0, Math.min(name.length(), LONGEST_NAME));
    }
}
