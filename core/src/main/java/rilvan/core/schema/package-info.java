/**
 * What the configuration of a device family may look like: a compact table, one line a node, loaded in milliseconds.
 *
 * <p>The table is made from the family's YANG modules by the authoring command in {@code kit/}; nothing here parses YANG.
 * It holds configuration only: state is read through a dialect's observations.
 */
package rilvan.core.schema;
