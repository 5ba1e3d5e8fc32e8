/**
 * Documents that people write: YAML or JSON text as plain values, each with its line and column.
 *
 * <p>Reading is strict, and cheap to refuse: size, depth, duplicate keys and aliases are bounded before any value is made.
 */
package rilvan.core.document;
