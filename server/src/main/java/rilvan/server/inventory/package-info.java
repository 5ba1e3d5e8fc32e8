/**
 * The network as the service knows it: the network document, devices with their host keys, credentials and configurations as last
 * read, and the answers that planning needs of them.
 */
package rilvan.server.inventory;
