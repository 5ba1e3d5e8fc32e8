/** Configuration as the lab's devices hold it: checked against YANG modules, edited and filtered by RFC 6241. */
package rilvan.lab.config;
