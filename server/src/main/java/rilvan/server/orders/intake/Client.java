package rilvan.server.orders.intake;

/** Who waits for the answer that a thread works out. */
@FunctionalInterface
public interface Client {

    /** One that waits as long as it takes: the service itself. */
    Client STAYS = () -> false;

    /** Whether it has closed its connection, so that nobody hears the answer. May be asked by any one thread until the answer is begun, and not after that. */
    boolean gone();
}
