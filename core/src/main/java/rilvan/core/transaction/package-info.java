/**
 * One order as one transaction over all its devices: a state machine, pure and deterministic. Given what happened it says what to
 * do next. Threads, sessions and the journal are outside, behind {@link rilvan.core.environment}.
 *
 * <p>The protocol, with its states, its transition table and its invariants, is the README beside this file. Standards: RFC 6241
 * (locks, candidate, confirmed commit), RFC 6022 (sessions).
 */
package rilvan.core.transaction;
