/** The service: REST, events, security, stores, and the driving of orders; serves the console. */
package rilvan.server;
