/** The command line. Talks to the REST interface, and for the lab's own commands to the lab's; to nothing else. */
package rilvan.cli;
