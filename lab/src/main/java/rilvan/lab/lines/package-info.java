/** Devices that are configured by typing lines: what they take, what they hold, and the shell they are reached by. */
package rilvan.lab.lines;
