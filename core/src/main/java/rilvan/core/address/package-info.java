/** Addresses, prefixes and ranges of numbers as values: how they are read, compared and written. */
package rilvan.core.address;
