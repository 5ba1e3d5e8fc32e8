/** Maintenance windows: when the devices of a site may be changed. */
package rilvan.core.maintenance;
