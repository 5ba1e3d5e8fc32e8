-- What happens to orders, services, devices, tenants and the library, for programs to follow. Triggers tell of it in the transaction in which it happens.
-- seq is given afterwards, by one at a time: so whoever has read up to a number misses nothing that is committed late.
create table events (
    id       bigint generated always as identity primary key,
    seq      bigint unique,
    at       timestamptz not null default clock_timestamp(),
    kind     text not null,
    order_id bigint,
    service  text,
    device   text,
    tenant   text,
    data     json not null
);
create index events_without_number on events (id) where seq is null;
create index events_at on events (at);

create table event_log (
    the_one  boolean primary key default true check (the_one),
    last_seq bigint not null default 0
);
insert into event_log default values;

create function tell_of_order() returns trigger language plpgsql as $$
declare
    happened text := case
        when tg_op = 'INSERT' then 'order.placed'
        when new.state in ('DONE', 'ROLLED_BACK') and old.state is distinct from new.state then 'order.ended'
        when new.rolling_back and not old.rolling_back then 'order.rolling-back'
        when old.state = 'WAITING' and new.state = 'PLANNED' then 'order.begun'
    end;
begin
    if happened is not null then
        insert into events (kind, order_id, data) values (happened, new.id, json_build_object('state', new.state, 'by', new.who, 'reason', new.reason, 'failure', new.failure));
    end if;
    return null;
end
$$;
-- At the end of the transaction: what an order leaves behind is told of before its end.
create constraint trigger tell_of_order after insert or update of state, rolling_back on orders deferrable initially deferred for each row execute function tell_of_order();

-- The history of a service has one row for each order that makes, changes or removes it.
create function tell_of_service() returns trigger language plpgsql as $$
begin
    insert into events (kind, order_id, service, tenant, data)
    values ('service.' || case new.kind when 'ADD' then 'added' when 'REMOVE' then 'removed' else 'changed' end, new.order_id, new.service, (select tenant from services where name = new.service), '{}');
    return null;
end
$$;
create trigger tell_of_service after insert on service_history for each row execute function tell_of_service();

create function tell_of_renaming() returns trigger language plpgsql as $$
begin
    insert into events (kind, service, tenant, data)
    select distinct 'service.renamed', n.service, s.tenant, json_build_object('formerly', (select service from before limit 1))::jsonb from after n left join services s on s.name = n.service
    where n.service not in (select service from before);
    return null;
end
$$;
create trigger tell_of_renaming after update on service_history referencing old table as before new table as after for each statement execute function tell_of_renaming();

create function tell_of_health() returns trigger language plpgsql as $$
begin
    if (old.failures = '') <> (new.failures = '') then
        insert into events (kind, service, tenant, data)
        select case new.failures when '' then 'service.working' else 'service.failing' end, new.service, s.tenant, json_build_object('failures', new.failures) from services s where s.name = new.service;
    end if;
    if (old.out_of_date = '') <> (new.out_of_date = '') then
        insert into events (kind, service, tenant, data)
        select case new.out_of_date when '' then 'service.up-to-date' else 'service.out-of-date' end, new.service, s.tenant, json_build_object('differs', new.out_of_date) from services s where s.name = new.service;
    end if;
    return null;
end
$$;
create trigger tell_of_health after update of failures, out_of_date on service_health for each row execute function tell_of_health();

create function tell_of_drift() returns trigger language plpgsql as $$
declare
    node drift := case tg_op when 'DELETE' then old else new end;
begin
    if tg_op <> 'UPDATE' or old.left_at is distinct from new.left_at and new.left_at is not null then
        insert into events (kind, device, data)
        values ('drift.' || case tg_op when 'INSERT' then 'found' when 'DELETE' then 'settled' else 'left' end, node.device,
            json_build_object('path', node.path, 'services', node.services, 'by', node.left_by, 'reason', node.reason));
    end if;
    return null;
end
$$;
create trigger tell_of_drift after insert or update or delete on drift for each row execute function tell_of_drift();

create function tell_of_device() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' then
        insert into events (kind, device, data) values ('device.host-key-changed', new.name, '{}');
    else
        insert into events (kind, device, data) values ('device.' || case tg_op when 'INSERT' then 'added' else 'removed' end, case tg_op when 'INSERT' then new.name else old.name end, '{}');
    end if;
    return null;
end
$$;
create trigger tell_of_devices after insert or delete on devices for each row execute function tell_of_device();
create trigger tell_of_host_key after update of host_key on devices for each row when (old.host_key is not null and old.host_key is distinct from new.host_key) execute function tell_of_device();

create function tell_of_tenant() returns trigger language plpgsql as $$
begin
    if tg_op <> 'UPDATE' or old.name <> new.name then
        insert into events (kind, tenant, data)
        values ('tenant.' || case tg_op when 'INSERT' then 'added' when 'DELETE' then 'removed' else 'renamed' end, case tg_op when 'DELETE' then old.name else new.name end,
            case tg_op when 'UPDATE' then json_build_object('formerly', old.name) else '{}' end);
    end if;
    return null;
end
$$;
create trigger tell_of_tenant after insert or update or delete on tenants for each row execute function tell_of_tenant();

create function tell_of_release() returns trigger language plpgsql as $$
begin
    if tg_op = 'INSERT' or old.in_force <> new.in_force then
        insert into events (kind, data)
        values ('library.' || case when tg_op = 'INSERT' then 'published' when new.in_force then 'in-force' else 'out-of-force' end,
            json_build_object('kind', lower(new.kind), 'name', new.name, 'version', new.version, 'inForce', new.in_force));
    end if;
    return null;
end
$$;
create trigger tell_of_release after insert or update of in_force on releases for each row execute function tell_of_release();

-- Addresses that are sent each event. Who sends has it until next_at; whoever finds it due takes it on, from the last event that was taken.
create table webhooks (
    name         text primary key,
    address      text not null,
    kinds        text[] not null,                    -- empty for all
    secret       bytea not null,                     -- sealed with the store's key
    taken        bigint not null,                    -- the number of the last event that was taken, or was none of its kinds
    claim        uuid,
    next_at      timestamptz not null default now(),
    tries        int not null default 0,             -- that have failed, since the last that did not
    failing_from timestamptz,
    failure      text not null default '',
    given_up_at  timestamptz,
    created_at   timestamptz not null default now(),
    created_by   text not null
);

create function tell_of_webhook() returns trigger language plpgsql as $$
begin
    insert into events (kind, data) values ('webhook.given-up', json_build_object('name', new.name, 'address', new.address, 'failure', new.failure));
    return null;
end
$$;
create trigger tell_of_webhook after update of given_up_at on webhooks for each row when (old.given_up_at is null and new.given_up_at is not null) execute function tell_of_webhook();
