/**
 * Expressions (CEL) that models and dialects are written with: what they may name, what functions they have, how they are
 * checked before they are ever evaluated.
 */
package rilvan.core.expression;
