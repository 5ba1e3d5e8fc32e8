/**
 * The lab: simulated devices in one process, reached by the real protocols, and the network between them.
 *
 * <p>It must be able to prove the product wrong, so it shares no code with it: it has its own reading of YANG, of NETCONF
 * messages and of what configuration means.
 */
package rilvan.lab;
