-- When a service was last seen, by an order or by the watch, and what was not as it must be; empty where all was.
create table service_looks (
    service text primary key references services (name) on delete cascade,
    at      timestamptz not null,
    wrong   text not null
);
create index service_looks_at on service_looks (at);
