/** Sessions with devices that have only a command line: prompts, modes, paging, error lines, one line in flight at a time. */
package rilvan.protocol.commandline;
