-- Which services are suspended, whole or in part: told by their parameters, and looked for in lists.
alter table services add column suspended text not null generated always as (
    case when parameters_json::jsonb -> 'suspended' = 'true'::jsonb then 'WHOLE'
        when jsonb_path_exists(parameters_json::jsonb, '$.*[*] ? (@.suspended == true)') then 'PART'
        else 'NO' end) stored;
create index services_suspended on services (name) where suspended <> 'NO';

-- Lists by tenant and by model, page by page.
drop index services_tenant;
create index services_tenant on services (tenant, name);
create index services_by_model on services (model, name);
