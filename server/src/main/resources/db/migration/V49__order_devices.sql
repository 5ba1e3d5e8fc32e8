-- Orders are found by the devices that they change.
insert into order_scope (order_id, kind, name)
    select order_id, 'device', device from order_parts
    on conflict do nothing;
