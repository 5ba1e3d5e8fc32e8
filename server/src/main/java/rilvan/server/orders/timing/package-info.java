/** When orders begin: at a time, within maintenance windows, and not while their sites or tenants are frozen or everything is stopped. */
package rilvan.server.orders.timing;
