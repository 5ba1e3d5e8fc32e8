/**
 * Who owns what on each device, and what stood there before. The ledger is what lets a service leave without a trace and
 * lets every managed line say who put it there and why.
 */
package rilvan.core.ledger;
