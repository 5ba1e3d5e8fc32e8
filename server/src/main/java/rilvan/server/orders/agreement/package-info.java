/** Agreement of another person: which orders need it. */
package rilvan.server.orders.agreement;
