/** What the network does, computed from what its devices hold. */
package rilvan.lab.behaviour;
