/**
 * The log of acts: what people and programs did, or were refused, in a chain of digests that cannot be changed unnoticed. What an order does on devices is its own
 * history, and lives with orders; what the service tells its operators is its text log.
 */
package rilvan.server.acts;
