-- Orders are found by the devices that they change.
insert into order_scope (order_id, kind, name)
    select order_id, 'device', device from order_parts
    on conflict do nothing;

-- What is not well is looked for among all that is.
create index service_health_not_well on service_health (service) where failures <> '' or out_of_date <> '';
