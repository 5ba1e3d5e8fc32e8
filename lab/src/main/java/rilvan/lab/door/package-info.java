/** The SSH server that all devices of the lab are reached through. */
package rilvan.lab.door;
