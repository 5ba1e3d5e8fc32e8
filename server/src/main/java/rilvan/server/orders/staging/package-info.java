/** Orders in stages: each is an order of its own, placed when the one before is done. */
package rilvan.server.orders.staging;
