package rilvan.server.ops;

import org.springframework.boot.diagnostics.AbstractFailureAnalyzer;
import org.springframework.boot.diagnostics.FailureAnalysis;

/** The service does not start, for a reason that a person can do something about: what is wrong, and what to do. */
public final class StartRefused extends RuntimeException {

    private final String action;

    public StartRefused(String what, String action) {
        super(what);
        this.action = action;
    }

    /** Says so without a stack trace. */
    static final class Analyzer extends AbstractFailureAnalyzer<StartRefused> {
        @Override
        protected FailureAnalysis analyze(Throwable root, StartRefused refused) {
            return new FailureAnalysis(refused.getMessage(), refused.action, root);
        }
    }
}
