/** What is kept of an order: its plan, its changes, its events; and how whoever follows an order is told of them. */
package rilvan.server.orders.history;
