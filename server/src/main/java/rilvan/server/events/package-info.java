/** What has happened, for programs to follow: one stream over orders, services, devices, tenants and the library. */
package rilvan.server.events;
