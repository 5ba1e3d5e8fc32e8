-- What a check looked for, in the vocabulary's word; of checks that were made before this was kept it is not known.
alter table order_checks add column observation text not null default '';
