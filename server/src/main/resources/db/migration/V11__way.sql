-- The way that a packet took, where a check was not as it must be.
alter table order_checks add column way text not null default '';
