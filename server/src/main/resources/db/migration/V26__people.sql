-- People and programs, and what they may do. Whoever had an account could do everything, and still can.
alter table users add column kind text not null default 'PERSON';
alter table users add column active boolean not null default true;
alter table users add column created_at timestamptz not null default now();
alter table users add column created_by text not null default '-';
alter table users alter column password_hash drop not null;

create table user_roles (
    name text not null references users (name) on delete cascade,
    role text not null,
    primary key (name, role)
);
insert into user_roles (name, role)
select name, role from users cross join (values ('LOOK'), ('PREPARE'), ('APPROVE'), ('RUN'), ('AUTHOR'), ('ADMINISTER')) as roles(role);

-- Every sign-in is a token: a person's in the console's cookie or at the command line, a program's in its own configuration.
alter table tokens add column id bigint generated always as identity;
alter table tokens add column kind text not null default 'SIGN_IN';
alter table tokens add column label text not null default '';
alter table tokens add column roles text;
alter table tokens add column created_at timestamptz not null default now();
alter table tokens add column used_at timestamptz;
alter table tokens add column address text not null default '';
create unique index tokens_id on tokens (id);
create index tokens_who on tokens (who);
