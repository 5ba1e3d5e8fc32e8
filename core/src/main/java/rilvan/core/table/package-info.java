/** Tables as people keep services in them, and the documents that they say: one row a service, or one row an item of a list of a service, such as a site. */
package rilvan.core.table;
