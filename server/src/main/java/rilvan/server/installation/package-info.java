/** Whether the installation itself is well. */
package rilvan.server.installation;
