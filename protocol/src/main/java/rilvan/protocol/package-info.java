/**
 * Device sessions for real: NETCONF (RFC 6241) over SSH (RFC 6242). Knows devices and messages, nothing of services.
 */
package rilvan.protocol;
