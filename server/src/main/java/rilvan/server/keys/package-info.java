/**
 * The keys that secrets are sealed with. They stand in the store, each sealed with the key of the key file (a key-encryption key, as NIST SP 800-57 has it), so that the file can be
 * changed while the service runs and what is sealed stays readable.
 */
package rilvan.server.keys;
