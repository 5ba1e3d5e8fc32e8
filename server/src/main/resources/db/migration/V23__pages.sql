-- Of the ledgers of its devices an order keeps what it changes in them, not the whole. Once it has ended nobody asks for that any more.
update order_parts p
set ledger_json = case when o.ended_at is null then json_build_object('put', p.ledger_json::json, 'gone', coalesce(
        (select json_agg(l.path) from ledger l where l.device = p.device and l.path not in (select each ->> 'path' from json_array_elements(p.ledger_json::json) each)),
        '[]'))::text else '{"put":[],"gone":[]}' end
from orders o
where o.id = p.order_id;

-- Numbers that an order in line has taken, so that it is not planned with others when its turn comes.
alter table orders add column numbers_json text not null default '[]';

-- How long orders over so many devices took, from when their turn came.
alter table orders add column devices int not null default 0;
alter table orders add column opened_at timestamptz;
create index orders_done on orders (devices, id) where state = 'DONE' and opened_at is not null;

-- Lists of services, also those that are searched for, are read from here alone.
create index services_heads on services (name) include (tenant, model, model_version);
