-- A role holds for all, or for some tenants (of_tenants), on devices of some sites (of_sites).
alter table user_roles add column of_tenants boolean not null default false;
alter table user_roles add column of_sites boolean not null default false;

-- Where a tenant goes, the role holds for one less: never for all.
create table user_role_tenants (
    name   text not null,
    role   text not null,
    tenant text not null references tenants (name) on update cascade on delete cascade,
    primary key (name, role, tenant),
    foreign key (name, role) references user_roles (name, role) on delete cascade
);
create table user_role_sites (
    name text not null,
    role text not null,
    site text not null,
    primary key (name, role, site),
    foreign key (name, role) references user_roles (name, role) on delete cascade
);

-- What somebody sees, by what their roles hold for: an array of {"tenants": …, "sites": …, "devices": …}, each null where it is all.
create function service_seen(of_service text, of_tenant text, scopes json) returns boolean language sql stable as $$
    select exists (
        select 1 from json_to_recordset(scopes) as s(tenants json, devices json)
        where (s.tenants is null or of_tenant in (select json_array_elements_text(s.tenants)))
        and (s.devices is null or exists (select 1 from service_devices d where d.service = of_service and d.device in (select json_array_elements_text(s.devices)))))
$$;

-- An order is seen by those who may see all tenants that it is for; one of whom that is not known, by nobody whose roles do not hold for all.
create function order_seen(of_order bigint, scopes json) returns boolean language sql stable as $$
    select exists (
        select 1 from json_to_recordset(scopes) as s(tenants json, sites json)
        where (s.tenants is null or (exists (select 1 from order_scope o where o.order_id = of_order and o.kind = 'tenant')
                and not exists (select 1 from order_scope o where o.order_id = of_order and o.kind = 'tenant' and o.name not in (select json_array_elements_text(s.tenants)))))
        and (s.sites is null or exists (select 1 from order_scope o where o.order_id = of_order and o.kind = 'site' and o.name in (select json_array_elements_text(s.sites)))))
$$;

-- Beside what somebody sees they know of what is offered to a tenant of theirs, and of what a service that they see refers to.
create function service_known(of_service text, of_tenant text, scopes json) returns boolean language sql stable as $$
    select service_seen(of_service, of_tenant, scopes)
    or exists (select 1 from service_tenants t, json_to_recordset(scopes) as s(tenants json) where t.service = of_service and t.tenant in (select json_array_elements_text(s.tenants)))
    or exists (select 1 from service_references r join services o on o.name = r.service where r.refers_to = of_service and service_seen(o.name, o.tenant, scopes))
$$;
