/**
 * The few interfaces through which the core sees the world: device sessions, the journal, the estate. Whoever implements
 * them brings the threads, the network and the database.
 */
package rilvan.core.outside;
