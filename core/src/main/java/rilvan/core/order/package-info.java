/**
 * The order's life: from the document to a plan, and the transaction that carries the plan out.
 *
 * <p>{@link rilvan.core.order.Planner} works out what an order changes and touches nothing.
 * {@link rilvan.core.order.Transaction} is a state machine, pure and deterministic: given what happened it says what to do
 * next. Threads, sessions and the store sit outside, behind {@code outside/}.
 */
package rilvan.core.order;
