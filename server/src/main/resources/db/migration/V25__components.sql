-- A service may belong to another one, which contains it: it is changed and removed with that one.
alter table services add column component_of text;
create index services_components on services (component_of) where component_of is not null;
