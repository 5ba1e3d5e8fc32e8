/**
 * What an operator sees of a running service: named threads, health, figures. Nothing here decides what is done on devices.
 */
package rilvan.server.ops;
