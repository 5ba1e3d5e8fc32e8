/** Ends of services and of their sites: told of beforehand, extended, and carried out by orders of their own. */
package rilvan.server.orders.endings;
