/** The published models and dialects, and what answers questions about them. */
package rilvan.server.library;
