/** The REST interface under /api/v1. Translates between HTTP and the rest; decides nothing. Errors are problems (RFC 9457). */
package rilvan.server.api;
