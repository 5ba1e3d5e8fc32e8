/** The tables, through MyBatis: one mapper a subject, rows as records. Nothing here decides anything. */
package rilvan.server.store;
