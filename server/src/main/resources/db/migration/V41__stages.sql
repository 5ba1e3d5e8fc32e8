-- Orders in stages: each stage is an order of its own, and the next is placed when the one before is done. Named by the first of them.
create table staged_orders (
    first_order    bigint primary key references orders (id) on delete cascade,
    who            text not null,
    authors_json   text not null,
    documents_json text not null,                   -- of each stage, secrets sealed
    places_json    text not null,                   -- of each stage but the last: the sites and devices that it was given
    pause_seconds  bigint not null,
    undoes         boolean not null,                -- whether a stage that fails takes those before it back
    in_window      boolean not null,
    urgent         boolean not null,
    one_by_one     boolean not null,
    state          text not null default 'RUNNING', -- RUNNING, DONE, STOPPED, UNDOING or UNDONE
    next_stage     int,                             -- the one that is to be placed, or 0 for the order that undoes all; null while its order is there, and at the end
    next_at        timestamptz,                     -- when
    waits_for      text not null default '',        -- what has kept it from being placed
    constraint next_is_whole check ((next_stage is null) = (next_at is null))
);
create index staged_orders_next_at on staged_orders (next_at) where next_at is not null;

alter table orders
    add column staged_by bigint, -- the first order of the stages that it is one of
    add column one_by_one boolean not null default false, -- one device changes after another
    add column stage     int;    -- which, from 1 on; 0 of the order that undoes them
create index orders_staged_by on orders (staged_by, stage) where staged_by is not null;
