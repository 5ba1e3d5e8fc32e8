/** The models and dialects this service knows, read once at start from their folder. */
package rilvan.server.catalog;
