/**
 * What the core asks of its environment, as interfaces: sessions with devices, and what is stored about the network and its
 * services. Whoever implements them brings the threads, the network and the database. No implementation lives here.
 */
package rilvan.core.environment;
