/** A simulated device: its datastores, locks and commits, whatever protocol it is reached by. */
package rilvan.lab.device;
