-- What somebody has left as it is on a device may be left until a time; then somebody decides again.
alter table drift add column left_until timestamptz;
create index drift_left_until on drift (left_until) where left_until is not null;

create or replace function tell_of_drift() returns trigger language plpgsql as $$
declare
    node drift := case tg_op when 'DELETE' then old else new end;
    kind text := case tg_op when 'INSERT' then 'found' when 'DELETE' then 'settled' else
        case when new.left_at is not null and old.left_at is distinct from new.left_at then 'left' when new.left_at is null and old.left_at is not null then 'found' end end;
begin
    if kind is not null then
        insert into events (kind, device, data)
        values ('drift.' || kind, node.device, json_build_object('path', node.path, 'services', node.services, 'by', node.left_by, 'reason', node.reason, 'until', node.left_until));
    end if;
    return null;
end
$$;

create function tell_of_freeze() returns trigger language plpgsql as $$
declare
    it freezes := case tg_op when 'DELETE' then old else new end;
begin
    if tg_op <> 'DELETE' or old.until_at > now() then
        insert into events (kind, data)
        values ('freeze.' || case tg_op when 'INSERT' then 'added' when 'DELETE' then 'lifted' else 'changed' end,
            json_build_object('name', it.name, 'from', it.from_at, 'until', it.until_at, 'sites', it.sites_json::json, 'tenants', it.tenants_json::json, 'reason', it.reason, 'by', it.created_by));
    end if;
    return null;
end
$$;
create trigger tell_of_freeze after insert or update or delete on freezes for each row execute function tell_of_freeze();

create function tell_of_draft() returns trigger language plpgsql as $$
declare
    draft drafts := case tg_op when 'DELETE' then old else new end;
begin
    if tg_op <> 'UPDATE' or old.version <> new.version then
        insert into events (kind, data)
        values ('draft.' || case tg_op when 'INSERT' then 'made' when 'DELETE' then 'dropped' else 'changed' end, json_build_object('name', draft.name, 'reason', draft.reason, 'by', draft.created_by));
    end if;
    return null;
end
$$;
create trigger tell_of_draft after insert or update or delete on drafts for each row execute function tell_of_draft();
