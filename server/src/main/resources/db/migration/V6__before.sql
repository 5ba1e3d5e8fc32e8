-- What a check saw before the order changed anything; null where it was not made then.
alter table order_checks add column held_before boolean;
alter table order_checks add column seen_before text;
