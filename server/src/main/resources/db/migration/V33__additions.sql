-- Of what somebody has put into an entry that services have whole nothing was ordered.
alter table drift alter column ordered drop not null;
