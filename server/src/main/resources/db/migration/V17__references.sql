-- Which services refer to which: what is referred to cannot go while it is referred to.
create table service_references (
    service   text not null references services (name) on delete cascade,
    refers_to text not null,
    primary key (service, refers_to)
);
create index service_references_to on service_references (refers_to);
insert into service_references (service, refers_to)
    select distinct s.name, i ->> 'service'
    from services s, jsonb_array_elements(s.parameters_json::jsonb -> 'imports') i
    where s.model = 'l3vpn' and jsonb_typeof(s.parameters_json::jsonb -> 'imports') = 'array';
