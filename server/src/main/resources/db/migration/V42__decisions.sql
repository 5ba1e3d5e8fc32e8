-- What people have decided about conflicts, for the orders of a draft: with the reason, and what the device was known to say there.
create table draft_decisions (
    draft    text not null references drafts (name) on delete cascade,
    device   text not null,
    path     text not null,
    decision text not null,
    reason   text not null,
    who      text not null,
    at       timestamptz not null default now(),
    evidence text not null,
    primary key (draft, device, path)
);
