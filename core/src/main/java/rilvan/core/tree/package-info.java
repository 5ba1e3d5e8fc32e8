/**
 * Configuration trees: what a device holds, as an immutable value with shared structure.
 *
 * <p>Here live paths, nodes, difference, application and inverse of changes. A tree knows nothing of schemas, services or
 * wire formats; the codec that builds it has already made every value canonical, so that equal text means equal meaning.
 */
package rilvan.core.tree;
