/**
 * Numbers that services take from pools, keyed by service and place so that working a service out again gives the same.
 */
package rilvan.core.pool;
