package rilvan.cli;

/** Something the person at the terminal has to know, and the exit code for scripts. */
final class Failure extends RuntimeException {

    static final int FAILED = 1;
    static final int USAGE = 2;
    static final int REFUSED = 3;
    static final int NOT_REACHED = 4;
    /** Something else is so, or has changed meanwhile: the same may be possible later, or once that has been looked at. */
    static final int IN_THE_WAY = 5;

    private final int exitCode;

    Failure(int exitCode, String message) {
        super(message);
        this.exitCode = exitCode;
    }

    int exitCode() {
        return exitCode;
    }
}
