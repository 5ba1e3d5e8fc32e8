package rilvan.server.access;

/** A role that somebody has, and what it holds for. */
public record Grant(Role role, Scope scope) {}
