-- An order whose services stand each by itself leaves out those that fail; what they failed of is kept.
create table order_left_out (
    order_id bigint not null references orders (id),
    service  text not null,
    why      text not null,
    primary key (order_id, service)
);
