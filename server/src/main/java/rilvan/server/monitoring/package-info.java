/**
 * Whether services work: runs checks against devices, before, during and after orders, and compares both ends of links. It reads
 * from devices and never changes them.
 */
package rilvan.server.monitoring;
