/** Making checks: asking the network what it does, until it is as expected or patience ends. */
package rilvan.server.checks;
