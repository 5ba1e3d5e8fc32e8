-- A version of a service is what an order made of it: whom it was for, and by which version of which model, beside its parameters. Of orders that have lost their plans it is not known.
alter table service_history
    add column tenant        text,
    add column model         text,
    add column model_version int,
    add column component_of  text;
update service_history h
    set tenant = s ->> 'tenant', model = s ->> 'model', model_version = (s ->> 'modelVersion')::int, component_of = s ->> 'componentOf'
    from orders o, jsonb_array_elements(o.plan_json::jsonb -> 'services') s
    where o.id = h.order_id and o.plan_json like '{%' and s ->> 'name' = h.service and s ->> 'kind' <> 'REMOVE' and h.kind <> 'REMOVE';
update service_history h
    set component_of = s ->> 'componentOf'
    from orders o, jsonb_array_elements(o.plan_json::jsonb -> 'services') s
    where o.id = h.order_id and o.plan_json like '{%' and s ->> 'name' = h.service and h.kind = 'REMOVE';
