package rilvan.server.installation;

/**
 * A part of the installation, and how it does.
 *
 * @param found what there is to say of it, as a sentence without a full stop
 * @param advice what to do; empty where nothing is to be done
 */
public record Part(String part, Condition condition, String found, String advice) {

    /** How a part does. */
    public enum Condition {
        WELL, TO_BE_LOOKED_AT, BAD
    }

    static Part well(String part, String found) {
        return new Part(part, Condition.WELL, found, "");
    }

    static Part toBeLookedAt(String part, String found, String advice) {
        return new Part(part, Condition.TO_BE_LOOKED_AT, found, advice);
    }

    static Part bad(String part, String found, String advice) {
        return new Part(part, Condition.BAD, found, advice);
    }
}
