/** The REST interface under /api/v1 and who may use it. Translates between HTTP and the rest; decides nothing. */
package rilvan.server.web;
