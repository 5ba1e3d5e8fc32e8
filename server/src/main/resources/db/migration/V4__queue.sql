-- Orders that want what others hold wait in line, and several instances of the service share the work.

-- What an order in line wants, so that whoever comes later waits behind it.
create table wants (
    order_id bigint not null references orders (id),
    kind     text not null,
    name     text not null,
    primary key (order_id, kind, name)
);

create index wants_name on wants (kind, name, order_id);

-- An instance that does not say in time that it is alive loses the right to drive its orders.
create table instances (
    id          text primary key,
    alive_until timestamptz not null
);

alter table orders add column driver text;              -- the instance that drives it
alter table orders add column agreed text;              -- digest of the preview that was agreed to, where one was
alter table orders add column taken_back_by text;       -- who asked for it to be taken back

-- How far a device lets a change be taken back, as it said itself when it was last spoken to; as it was when an order was planned.
alter table devices add column kind text;
alter table order_parts add column kind text;
