-- In which version of its family's configuration form a device's configuration and ledger are stored. What was stored before this was
-- kept is version 1.
create table families (
    name    text primary key,
    version int not null
);
insert into families (name, version) select distinct name, 1 from (values ('quern'), ('tarn'), ('brae')) shipped (name)
    where exists (select 1 from devices where configuration is not null);
