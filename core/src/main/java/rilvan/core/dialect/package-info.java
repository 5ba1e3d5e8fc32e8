/**
 * How one device family says each clause in its own configuration language.
 *
 * <p>Here live the dialect read from its folder, the locked-down templates, the codecs between native text and trees, and
 * the difference as people read it. A dialect is data; no class here knows a particular family.
 */
package rilvan.core.dialect;
