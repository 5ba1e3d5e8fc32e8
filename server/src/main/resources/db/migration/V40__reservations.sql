-- Numbers that a draft keeps, until a date, for what its entries make of services.
alter table drafts add column reserved_until timestamptz;
alter table allocations
    add column reserved_by  text, -- the draft; null for what a service or an order holds
    add column reserved_for text; -- the service of the draft's entry
create index allocations_reserved on allocations (reserved_by, reserved_for) where reserved_by is not null;
