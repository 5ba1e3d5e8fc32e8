-- What becomes of the services of an order, for lists: its whole plan may be large, and need not be read for them.
alter table orders add column services_json text not null default '[]';
update orders set services_json = (
    select coalesce(json_agg(json_build_object('service', each ->> 'name', 'kind', each ->> 'kind')), '[]')
    from json_array_elements(plan_json::json -> 'services') each)::text
where plan_json <> '';

-- Which services have a footprint on a device, asked before every order and for every list of devices.
create table service_devices (
    device  text not null,
    service text not null references services (name) on update cascade on delete cascade,
    primary key (device, service)
);
create index service_devices_service on service_devices (service);
insert into service_devices (device, service) select device, s.name from services s, jsonb_object_keys(s.devices_json::jsonb) device;
drop index services_on_devices;

-- The next service to check is found without looking at all of them: each has a row here from its first order on.
insert into service_health (service, checked_at, failures) select name, 'epoch', '' from services on conflict do nothing;
create index services_customers_to_follow on services (name) where customers_to_follow_json <> '[]';

-- Whether the last whole reading of a device was compared with what was ordered: one that says the same again need not be.
alter table devices add column compared boolean not null default false;
