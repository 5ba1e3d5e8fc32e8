-- What is published: the vocabulary, dialects and service models, each in versions, as the files of their folders. A version never changes.
create table releases (
    kind         text not null,
    name         text not null,
    version      int not null,
    digest       text not null,
    files_json   text not null,
    in_force     boolean not null,
    retired      boolean not null default false,
    published_at timestamptz not null default now(),
    published_by text not null,
    reason       text not null,
    primary key (kind, name, version)
);
-- Of a model several versions may be in force, of a dialect and of the vocabulary one.
create unique index releases_one_in_force on releases (kind, name) where in_force and kind <> 'MODEL';

-- Moves with every change of what is in force.
create table library_version (version bigint not null);
insert into library_version values (0);

create index services_model on services (model, model_version);
