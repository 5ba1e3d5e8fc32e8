-- The keys that secrets are sealed with, each sealed with the key of a key file. So the file can be changed while instances run.
create table sealed_keys (
    use       text not null,
    number    int not null,
    opened_by text not null,
    box       bytea not null,
    since     timestamptz not null default now(),
    primary key (use, number, opened_by)
);

-- Until now the key file's key sealed everything itself. Where anybody could sign in something may be sealed with it, and it goes on as the first key of the store.
create table store_keys_begin (from_key_file boolean not null);
insert into store_keys_begin select exists (select from users);

-- The name of the key that the instance's key file has.
alter table instances add column key_name text;
