package rilvan.core.network;

/**
 * A value set for a part of the network.
 *
 * @param scope what it is set for
 * @param of the site, role or device; empty for the whole network
 * @param value a text, whole number, boolean, or list of these
 */
public record Setting(Scope scope, String of, String name, Object value) {

    /** What a setting is set for, the widest first: of those that apply to a device, the nearest wins. */
    public enum Scope {
        NETWORK, SITE, ROLE, DEVICE
    }

    boolean appliesTo(Device device) {
        return switch (scope) {
            case NETWORK -> true;
            case SITE -> of.equals(device.site());
            case ROLE -> of.equals(device.role());
            case DEVICE -> of.equals(device.name());
        };
    }

    /** What it is set for, in words. */
    public String where() {
        return scope == Scope.NETWORK ? "the network" : scope.name().toLowerCase(java.util.Locale.ROOT) + " " + of;
    }
}
