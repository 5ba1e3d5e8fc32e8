/**
 * A store on several hosts, of which one is the primary and the others follow it: connections go to the primary alone, and a former primary that comes back is told by its timeline (PostgreSQL
 * counts one up at each promotion) and not used.
 */
package rilvan.server.primary;
