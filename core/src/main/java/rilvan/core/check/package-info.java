/**
 * What to look for when a service should work, and what was seen.
 */
package rilvan.core.check;
