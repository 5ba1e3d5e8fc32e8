-- Orders are found by the services that they are about, by who placed them, and by their state.
insert into order_scope (order_id, kind, name)
    select distinct o.id, 'service', s ->> 'service' from orders o, json_array_elements(o.services_json::json) s where s ->> 'service' is not null and coalesce(s ->> 'kind', '') <> 'KEEP'
    on conflict do nothing;
create index orders_who on orders (who, id);
create index orders_state on orders (state, id);
create index orders_created_at on orders (created_at, id);
