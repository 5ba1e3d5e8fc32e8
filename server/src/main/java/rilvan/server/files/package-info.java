/** The wanted state as files: a folder that people read, compare and keep under version control. */
package rilvan.server.files;
