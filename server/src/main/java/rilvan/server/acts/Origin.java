package rilvan.server.acts;

/**
 * Who acts, and from where.
 *
 * @param who the account; of a refused sign-in, the name that was given
 * @param address from where; empty for the service itself
 * @param token the number of the sign-in or token that was brought; 0 for none
 * @param request the number of the request; empty for the service itself
 */
public record Origin(String who, String address, long token, String request) {

    /** The service itself; no account can have this name. */
    public static final Origin SERVICE = new Origin("(service)", "", 0, "");
}
