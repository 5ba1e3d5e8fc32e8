/** NETCONF sessions: framing (RFC 6242), messages and errors (RFC 6241). */
package rilvan.protocol.netconf;
