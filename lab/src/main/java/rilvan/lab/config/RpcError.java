package rilvan.lab.config;

/**
 * An error as a device answers it (RFC 6241 §4.3, appendix A).
 */
public final class RpcError extends RuntimeException {

    private final String type;
    private final String tag;
    private final String path;

    public RpcError(String type, String tag, String path, String message) {
        super(message);
        this.type = type;
        this.tag = tag;
        this.path = path;
    }

    /** An error of the application layer. */
    public static RpcError application(String tag, String path, String message) {
        return new RpcError("application", tag, path, message);
    }

    /** An error of the protocol layer. */
    public static RpcError protocol(String tag, String message) {
        return new RpcError("protocol", tag, "", message);
    }

    public String type() {
        return type;
    }

    public String tag() {
        return tag;
    }

    public String path() {
        return path;
    }
}
