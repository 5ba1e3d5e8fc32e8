/** Where orders come in: previewed without touching a device, then started at once or queued behind the orders they conflict with. */
package rilvan.server.orders.intake;
