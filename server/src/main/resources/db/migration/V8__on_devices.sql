-- Which services have a footprint on a device is asked before every order.
create index services_on_devices on services using gin ((devices_json::jsonb));
