-- What each service said on each device in its own language, from the order on that made it say so; empty text from the order on with which it said nothing there any more.
create table service_lines (
    service  text not null,
    device   text not null,
    order_id bigint not null,
    lines    text not null,
    primary key (service, device, order_id)
);

create index service_history_at on service_history (at);
