/**
 * Orders: previewed, placed, driven to their end, and taken up again after a restart.
 *
 * <p>{@link rilvan.server.orders.OrderDesk} is where they come in and wait in line; {@link rilvan.server.orders.Drivers} has those
 * that this {@link rilvan.server.orders.Instance} drives; {@link rilvan.server.orders.OrderRun} drives one transaction with
 * threads, sessions and the store; {@link rilvan.server.orders.Journal} is its memory.
 */
package rilvan.server.orders;
