-- What an order changes on a device is kept node by node: native text does not say it all, such as the order of entries.
alter table order_parts add column changes_json text not null default '[]';
alter table order_parts drop column before, drop column after, drop column paths_json;
