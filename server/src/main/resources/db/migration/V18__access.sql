-- Counts up with each change of a credential, a host key or the network, so that an instance knows when sessions that it keeps were opened otherwise.
create table access_version (
    the_one boolean primary key default true check (the_one),
    version bigint not null
);
insert into access_version (version) values (1);
