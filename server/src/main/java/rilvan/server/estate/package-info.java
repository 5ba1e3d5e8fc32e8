/** What the core asks of the network and its services, answered from the store. */
package rilvan.server.estate;
