/**
 * What devices say against what was ordered: managed nodes that no longer say what their ledger says. Found from a whole reading; how long it
 * is remembered, and what a person decides about it, is not known here.
 */
package rilvan.core.drift;
