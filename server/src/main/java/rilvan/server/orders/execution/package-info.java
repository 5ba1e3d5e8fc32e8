/**
 * Orders while they run: {@link rilvan.server.orders.execution.OrderExecutor} has those that this instance drives,
 * {@link rilvan.server.orders.execution.TransactionDriver} carries out one transaction with threads, sessions and the store, and
 * {@link rilvan.server.orders.execution.Journal} stores its records.
 */
package rilvan.server.orders.execution;
