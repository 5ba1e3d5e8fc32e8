-- What people saw on devices in doubt, until the instance that drives the order has taken it up: whichever instance they told.
create table resolutions (
    id          bigint generated always as identity primary key,
    order_id    bigint not null references orders (id) on delete cascade,
    device      text not null,
    holds_after boolean not null,
    who         text not null
);

create index resolutions_order on resolutions (order_id);
