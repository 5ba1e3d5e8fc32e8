package rilvan.server.acts;

import java.util.ArrayList;
import java.util.List;
import rilvan.core.document.Digest;
import rilvan.server.store.Acts.Head;
import rilvan.server.store.Acts.OpenAct;
import rilvan.server.store.Acts.SealedAct;

/**
 * The chain of digests over acts: each is the SHA-256 of the digest before it, in hexadecimal, a line feed, and the act's text. So a change of one act, or one less, is
 * a change of every digest after it.
 */
final class Chain {

    private Chain() {}

    /** Before the first act. It is of this log, so that no part of another one fits. */
    static Head beginning(String log) {
        return new Head(0, Digest.of("rilvan log of acts " + log));
    }

    static String digest(String before, String act) {
        return Digest.of(before + "\n" + act);
    }

    /** Acts as they follow a head. */
    static List<SealedAct> sealed(Head head, List<OpenAct> open) {
        List<SealedAct> sealed = new ArrayList<>();
        String digest = head.digest();
        for (OpenAct act : open) {
            digest = digest(digest, act.act());
            sealed.add(new SealedAct(head.seq() + sealed.size() + 1, act.act(), digest));
        }
        return sealed;
    }
}
