/** Entity tags (RFC 9110 §8.8.3), and what must still be so of a thing for a request to change it (§13.1). */
package rilvan.server.preconditions;
