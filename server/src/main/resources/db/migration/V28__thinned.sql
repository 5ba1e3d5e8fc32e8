-- When the lines, steps and checks of an order that has ended long ago were dropped; null while it has them.
alter table orders add column thinned_at timestamptz;
create index orders_to_thin on orders (ended_at) where thinned_at is null and ended_at is not null;
create index service_history_order on service_history (order_id);
