/**
 * The network as Rilvan knows it: devices, ports, links and sites, addresses and prefixes.
 */
package rilvan.core.network;
