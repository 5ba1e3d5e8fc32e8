/** Devices as the service deals with them: credentials, trust, sessions, readings. */
package rilvan.server.devices;
