-- The roles of the store: who owns the tables and migrates them, and who reads and writes rows only. Run by a superuser of PostgreSQL in the database of Rilvan:
--   OWNER_PASSWORD=… SERVICE_PASSWORD=… psql -v ON_ERROR_STOP=1 -d rilvan -f roles.sql
-- It may be run again at any time. Passwords come from the environment, which no other user sees.
select format('create role %I login', name) from (values ('rilvan_owner'), ('rilvan_service')) as roles (name)
where not exists (select 1 from pg_roles where rolname = name) \gexec
\getenv owner OWNER_PASSWORD
\getenv service SERVICE_PASSWORD
alter role rilvan_owner password :'owner';
alter role rilvan_service password :'service';
revoke all on schema public from public;
grant usage, create on schema public to rilvan_owner;
grant usage on schema public to rilvan_service;
-- A store of before there were these roles: its tables change hands.
select format('alter %s %I owner to rilvan_owner', case relkind when 'S' then 'sequence' else 'table' end, relname)
from pg_class where relnamespace = 'public'::regnamespace and relkind in ('r', 'S') and relowner <> 'rilvan_owner'::regrole
and not exists (select 1 from pg_depend where objid = pg_class.oid and deptype in ('a', 'i')) \gexec
grant select, insert, update, delete on all tables in schema public to rilvan_service;
grant usage, select on all sequences in schema public to rilvan_service;
alter default privileges for role rilvan_owner in schema public grant select, insert, update, delete on tables to rilvan_service;
alter default privileges for role rilvan_owner in schema public grant usage, select on sequences to rilvan_service;
