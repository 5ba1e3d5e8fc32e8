-- Accounts that sign in at an identity provider: which one, and what it calls them for good (OpenID Connect Core 1.0 §8).
alter table users add column issuer text;
alter table users add column subject text;
create unique index users_subject on users (issuer, subject) where subject is not null;
