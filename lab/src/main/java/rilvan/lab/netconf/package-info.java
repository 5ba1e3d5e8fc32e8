/** The lab's own NETCONF over SSH (RFC 6241, RFC 6242): framing, messages, operations. */
package rilvan.lab.netconf;
