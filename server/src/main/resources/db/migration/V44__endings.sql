-- When services, or items of their lists such as sites, end: an order of its own removes them then.
create table endings (
    service     text not null,
    part        text not null default '',   -- FIELD/NAME of an item of a list; empty for the whole service
    at          timestamptz not null,
    notice_at   timestamptz not null,       -- when it is told of
    noticed     boolean not null default false,
    reason      text not null,
    version     bigint not null default 1,
    who         text not null,
    set_at      timestamptz not null default now(),
    next_at     timestamptz not null,       -- when its order is to be placed, or tried again
    order_id    bigint references orders (id) on delete set null,
    failure     text not null default '',   -- what has kept its order from being placed
    primary key (service, part)
);
create index endings_next_at on endings (next_at) where order_id is null;
create index endings_notice_at on endings (notice_at) where not noticed;
create index endings_order on endings (order_id) where order_id is not null;

create function tell_of_ending() returns trigger language plpgsql as $$
begin
    if new.noticed and not old.noticed then
        insert into events (kind, service, tenant, data)
        select 'service.ends-soon', new.service, s.tenant, json_build_object('at', new.at, 'part', new.part, 'reason', new.reason) from services s where s.name = new.service;
    end if;
    return null;
end
$$;
create trigger tell_of_ending after update of noticed on endings for each row execute function tell_of_ending();
