-- Managed nodes that were found to say something else than their ledger, until a person settles that or they say it again.
create table drift (
    device   text not null references devices (name) on delete cascade,
    path     text not null,
    ordered  text not null,
    found    text,
    services text[] not null,
    found_at timestamptz not null default now(),
    left_by  text,
    left_at  timestamptz,
    reason   text,
    primary key (device, path)
);
-- What a service would say that it does not say on devices, in words; empty where it is up to date.
alter table service_health add column out_of_date text not null default '';
