/** Measurements of the core, printed as a table. Nothing here is asserted: machines differ, ratios are what counts. */
package rilvan.bench;
