/** Drafts: changes that are intended and not on the network yet, by several people, until an order carries them out. */
package rilvan.server.orders.drafts;
