-- A rehearsal is an order that is only tried on the devices.
alter table orders add column rehearsal boolean not null default false;

-- Whatever its end is called, an order that has one has ended.
drop index orders_unfinished;
create index orders_unfinished on orders (id) where ended_at is null;

alter table drafts
    add column rehearsed_by      bigint references orders (id) on delete set null,
    add column rehearsed_version bigint not null default 0;
create index drafts_rehearsed_by on drafts (rehearsed_by) where rehearsed_by is not null;

create or replace function tell_of_order() returns trigger language plpgsql as $$
declare
    happened text := case
        when new.rehearsal then case when new.ended_at is not null and old.ended_at is null and tg_op = 'UPDATE' then 'order.rehearsed' end
        when tg_op = 'INSERT' then 'order.placed'
        when new.ended_at is not null and old.ended_at is null then 'order.ended'
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
