/** Changes that are intended and not on the network yet: what a draft changes of a service, and how that fits with what others have changed meanwhile. */
package rilvan.core.draft;
