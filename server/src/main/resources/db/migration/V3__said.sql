-- Of each device a service stands on it is known what it says there, by a digest, so that a change of a service looks only at
-- the devices on which it says something else. Nothing is known yet of services that stand.
update services set devices_json = coalesce((select jsonb_object_agg(device, '') from jsonb_array_elements_text(devices_json::jsonb) device), '{}')::text;
