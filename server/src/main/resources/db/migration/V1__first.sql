-- What Rilvan knows and what it is doing. Text columns named *_json hold JSON.

create table users (
    name          text primary key,
    password_hash text not null
);

create table tokens (
    hash    text primary key,                       -- SHA-256 of the token; the token itself is nowhere
    who     text not null references users (name) on delete cascade,
    expires timestamptz not null
);

create table credentials (
    name   text primary key,
    login  text not null,
    secret bytea not null                           -- AES-GCM, see Vault
);

create table network (
    the_one  boolean primary key default true check (the_one),
    document text not null
);

create table devices (
    name          text primary key,
    host_key      text,
    configuration text,                             -- as last read or written, in the device's own text
    read_at       timestamptz,
    version       bigint not null default 0         -- moves with every change of configuration or ledger
);

create table services (
    name            text primary key,
    tenant          text not null,
    model           text not null,
    model_version   int not null,
    parameters_json text not null,
    devices_json    text not null,
    version         bigint not null default 0
);

create table service_history (
    service         text not null,
    order_id        bigint not null,
    kind            text not null,
    parameters_json text not null,
    at              timestamptz not null default now(),
    primary key (service, order_id)
);

create table ledger (
    device      text not null,
    path        text not null,
    value       text not null,
    prior       text,                               -- null where nothing stood there
    owners_json text not null,
    primary key (device, path)
);

create table allocations (
    pool    text not null,
    within  text not null,
    number  bigint not null,
    service text not null,
    key     text not null,
    primary key (pool, within, number)
);

create index allocations_service on allocations (service);

create table orders (
    id              bigint generated always as identity primary key,
    who             text not null,
    reason          text not null,
    document        text not null,
    state           text not null,
    epoch           bigint not null default 1,
    token           text not null,
    guarantee       text not null,
    plan_json       text not null,                  -- what becomes of services and numbers when it is done
    sessions_json   text not null default '{}',
    failure         text not null default '',
    idempotency_key text,
    created_at      timestamptz not null default now(),
    ended_at        timestamptz,
    unique (who, idempotency_key)
);

create index orders_unfinished on orders (id) where state not in ('DONE', 'ABORTED');

create table order_parts (
    order_id    bigint not null references orders (id),
    device      text not null,
    before      text not null,                      -- the touched nodes as they are before, in the device's own text
    after       text not null,
    paths_json  text not null,
    ledger_json text not null,                      -- the device's ledger as it will be
    lines_json  text not null,                      -- the preview that was agreed to
    primary key (order_id, device)
);

create table order_events (
    order_id bigint not null references orders (id),
    seq      int not null,
    at       timestamptz not null,
    device   text not null,
    phase    text not null,
    word     text not null,
    text     text not null,
    primary key (order_id, seq)
);

create table order_checks (
    order_id bigint not null references orders (id),
    seq      int not null,
    service  text not null,
    observer text not null,
    target   text not null,
    proves   text not null,
    holds    boolean not null,
    seen     text not null,
    primary key (order_id, seq)
);

-- A device or a service is held by an order until the order ends, not for a time.
create table holds (
    kind     text not null,
    name     text not null,
    order_id bigint not null references orders (id),
    primary key (kind, name)
);
