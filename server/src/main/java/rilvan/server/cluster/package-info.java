/** The instances of the service that share one database: which of them are alive, and which may drive orders. */
package rilvan.server.cluster;
