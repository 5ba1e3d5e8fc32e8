/** Who may use the service: sign-in with a session or a bearer token (RFC 6750). Only hashes of passwords and tokens are stored. */
package rilvan.server.access;
