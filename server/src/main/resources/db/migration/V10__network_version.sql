-- Counts up with each network that is loaded, so that whoever holds one need not fetch it again to know that it is still the same.
alter table network add column version bigint not null default 1;
