/**
 * For authors: YANG modules to schema tables. The only place, besides the lab, where a YANG library is on the class path.
 */
package rilvan.kit;
