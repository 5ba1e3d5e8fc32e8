package rilvan.core.transaction;

/** What a transaction is doing on a device, as people follow it. */
public enum Phase {
    OPEN("open a session"),
    LOOK("lock and look"),
    PREPARE("edit and validate"),
    COMMIT("commit provisionally"),
    CHANGE("change"),
    WAIT("wait longer for the confirmation"),
    PROVE("prove"),
    LOOK_AGAIN("read once more"),
    CONFIRM("confirm"),
    RELEASE("let go"),
    GO_BACK("go back"),
    BRING_FORWARD("bring forward again");

    private final String words;

    Phase(String words) {
        this.words = words;
    }

    /** The phase in words, fit to stand after "refused to" or "is to". */
    public String words() {
        return words;
    }
}
