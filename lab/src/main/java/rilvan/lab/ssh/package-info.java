/** What all sessions of the lab have in common, whatever they speak: bytes in and out over SSH, without a thread of their own. */
package rilvan.lab.ssh;
