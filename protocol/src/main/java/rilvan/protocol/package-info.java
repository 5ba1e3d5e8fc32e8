/** Sessions with devices, pooled by device, over SSH (RFC 4253). Knows devices and messages, nothing of services. */
package rilvan.protocol;
