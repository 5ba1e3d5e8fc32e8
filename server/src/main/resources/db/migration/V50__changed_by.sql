-- Who has changed a node outside, where the device said so.
alter table drift add column changed_by text;

create or replace function tell_of_drift() returns trigger language plpgsql as $$
declare
    node drift := case tg_op when 'DELETE' then old else new end;
    kind text := case tg_op when 'INSERT' then 'found' when 'DELETE' then 'settled' else
        case when new.left_at is not null and old.left_at is distinct from new.left_at then 'left' when new.left_at is null and old.left_at is not null then 'found' end end;
begin
    if kind is not null then
        insert into events (kind, device, data)
        values ('drift.' || kind, node.device, json_build_object('path', node.path, 'services', node.services, 'by', node.left_by, 'reason', node.reason, 'until', node.left_until, 'changedBy', node.changed_by));
    end if;
    return null;
end
$$;
