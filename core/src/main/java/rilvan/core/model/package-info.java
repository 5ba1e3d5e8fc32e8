/**
 * Service models: the language an engineer defines a kind of service in, and what it makes of one service's parameters.
 *
 * <p>The way through this package: {@link rilvan.core.model.ModelReader} publishes a model or says what is wrong with it;
 * {@link rilvan.core.model.Parameters} validates a service's parameters; {@link rilvan.core.model.Expander} takes numbers,
 * holds the rules and makes clauses and checks. Parameters are JSON Schema 2020-12, expressions are CEL; nothing here runs
 * code, reads files or loops without bound.
 */
package rilvan.core.model;
