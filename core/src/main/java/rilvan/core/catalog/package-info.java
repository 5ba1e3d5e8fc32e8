/** A folder of models and dialects, read as a whole: what may be ordered, and on which families. */
package rilvan.core.catalog;
