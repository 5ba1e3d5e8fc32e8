-- Whom services are for. Until now a tenant was what stood in a service; each of these becomes one.
create table tenants (
    name             text primary key,
    contact          text not null default '',
    attachments_json text not null default '[]',
    version          bigint not null default 1,
    created_at       timestamptz not null default now(),
    created_by       text not null default '-'
);

-- Names that a tenant had before.
create table tenant_former_names (
    former text primary key,
    name   text not null references tenants (name) on update cascade on delete cascade
);

-- How often any of them has changed: whoever has read them knows whether to read them again.
create table tenants_version (
    the_one boolean primary key default true check (the_one),
    version bigint not null default 1
);
insert into tenants_version default values;

insert into tenants (name) select distinct tenant from services;
insert into tenants (name)
    select distinct t
    from services s, jsonb_array_elements_text(s.parameters_json::jsonb -> 'offered_to') t
    where s.model = 'l3vpn' and jsonb_typeof(s.parameters_json::jsonb -> 'offered_to') = 'array'
    on conflict do nothing;
-- Orders under way end as they were planned.
insert into tenants (name)
    select distinct s ->> 'tenant'
    from orders o, jsonb_array_elements(o.plan_json::jsonb -> 'services') s
    where o.state not in ('WAITING', 'DONE', 'ROLLED_BACK') and s ->> 'tenant' <> ''
    on conflict do nothing;

alter table services add constraint services_tenant foreign key (tenant) references tenants (name) on update cascade;
create index services_tenant on services (tenant);

-- The tenants that a service's parameters refer to.
create table service_tenants (
    service text not null references services (name) on update cascade on delete cascade,
    tenant  text not null references tenants (name) on update cascade,
    primary key (service, tenant)
);
create index service_tenants_tenant on service_tenants (tenant);
insert into service_tenants (service, tenant)
    select distinct s.name, t
    from services s, jsonb_array_elements_text(s.parameters_json::jsonb -> 'offered_to') t
    where s.model = 'l3vpn' and jsonb_typeof(s.parameters_json::jsonb -> 'offered_to') = 'array';

-- Whom an order is for (tenant), whom its services refer to (referred), and the sites of its devices (site).
create table order_scope (
    order_id bigint not null references orders (id) on delete cascade,
    kind     text not null,
    name     text not null,
    primary key (order_id, kind, name)
);
create index order_scope_name on order_scope (kind, name);
insert into order_scope (order_id, kind, name)
    select distinct o.id, 'tenant', s ->> 'tenant'
    from orders o, jsonb_array_elements(o.plan_json::jsonb -> 'services') s
    where o.state not in ('WAITING', 'DONE', 'ROLLED_BACK') and s ->> 'tenant' <> '';
