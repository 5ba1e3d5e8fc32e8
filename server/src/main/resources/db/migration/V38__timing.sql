-- When orders begin, and who agrees to them.
alter table orders
    add column start_at       timestamptz,                   -- not before; null for at once
    add column start_by       timestamptz,                   -- not after; null for whenever it can
    add column in_window      boolean not null default false,
    add column urgent         boolean not null default false,
    add column authors_json   text    not null default '[]', -- who prepared it, beside who placed it
    add column agreement_json text    not null default '[]', -- why another person is to agree
    add column agreed_by      text,
    add column agreed_at      timestamptz;

-- What keeps orders from beginning.
create table freezes (
    name         text primary key,
    sites_json   text not null,
    tenants_json text not null,
    from_at      timestamptz not null,
    until_at     timestamptz not null,
    reason       text not null,
    version      bigint not null default 1,
    created_at   timestamptz not null default now(),
    created_by   text not null
);
create index freezes_until_at on freezes (until_at);

create table emergency_stop (
    the_one    boolean primary key default true check (the_one),
    reason     text not null,
    rolls_back boolean not null,
    at         timestamptz not null default now(),
    who        text not null
);

-- Which orders another person is to agree to.
create table agreement_rules (
    name       text primary key,
    rule_json  text not null,
    version    bigint not null default 1,
    created_at timestamptz not null default now(),
    created_by text not null
);

-- What is to be looked at when; the columns are those of the library that looks.
create table timed_work (
    task_name            text not null,
    task_instance        text not null,
    task_data            bytea,
    execution_time       timestamptz not null,
    picked               boolean not null,
    picked_by            text,
    last_success         timestamptz,
    last_failure         timestamptz,
    consecutive_failures int,
    last_heartbeat       timestamptz,
    version              bigint not null,
    priority             smallint,
    primary key (task_name, task_instance)
);
create index timed_work_execution_time on timed_work (execution_time);
create index timed_work_last_heartbeat on timed_work (last_heartbeat);

create or replace function tell_of_order() returns trigger language plpgsql as $$
declare
    happened text := case
        when new.rehearsal then case when new.ended_at is not null and old.ended_at is null and tg_op = 'UPDATE' then 'order.rehearsed' end
        when tg_op = 'INSERT' then 'order.placed'
        when new.ended_at is not null and old.ended_at is null then 'order.ended'
        when new.rolling_back and not old.rolling_back then 'order.rolling-back'
        when new.agreed_by is not null and old.agreed_by is null then 'order.agreed'
        when new.state = 'AWAITING_AGREEMENT' and old.state <> 'AWAITING_AGREEMENT' then 'order.agreement-lapsed'
        when new.state = 'SCHEDULED' and old.state <> 'SCHEDULED' then 'order.postponed'
        when old.state = 'WAITING' and new.state = 'PLANNED' then 'order.begun'
    end;
begin
    if happened is not null then
        insert into events (kind, order_id, data) values (happened, new.id, json_build_object('state', new.state, 'by', new.who, 'reason', new.reason, 'failure', new.failure));
    end if;
    return null;
end
$$;
drop trigger tell_of_order on orders;
create constraint trigger tell_of_order after insert or update of state, rolling_back, agreed_by on orders deferrable initially deferred for each row execute function tell_of_order();

create function tell_of_stop() returns trigger language plpgsql as $$
begin
    insert into events (kind, data)
    values ('emergency.' || case tg_op when 'DELETE' then 'released' else 'stopped' end,
        case tg_op when 'DELETE' then json_build_object('reason', old.reason) else json_build_object('reason', new.reason, 'by', new.who, 'rollsBack', new.rolls_back) end);
    return null;
end
$$;
create trigger tell_of_stop after insert or update or delete on emergency_stop for each row execute function tell_of_stop();
