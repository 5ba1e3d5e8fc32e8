-- Ports of a service where a change agreed with the customer is still to be made on the customer's router, as JSON.
alter table services add column customers_to_follow_json text not null default '[]';
