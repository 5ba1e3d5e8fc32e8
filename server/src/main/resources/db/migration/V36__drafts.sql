-- Drafts: changes that are intended and not on the network yet.
create table drafts (
    name       text primary key,
    reason     text not null,
    version    bigint not null default 1,
    created_at timestamptz not null default now(),
    created_by text not null
);

-- What becomes of one service. It started from what the service was then; it is under way while an order carries it out, and goes with the order's success.
create table draft_entries (
    draft         text not null references drafts (name) on delete cascade,
    service       text not null,
    stands_as     text not null,
    kind          text not null,
    tenant        text not null,
    model         text not null,
    wanted_json   text not null,
    after_json    text not null,
    started_json  text not null,
    started_order bigint,
    who           text not null,
    at            timestamptz not null default now(),
    number        bigint generated always as identity,
    order_id      bigint references orders (id) on delete set null,
    problems_json text not null default '[]',
    primary key (draft, service)
);

create index draft_entries_service on draft_entries (stands_as);
create index draft_entries_order on draft_entries (order_id) where order_id is not null;
