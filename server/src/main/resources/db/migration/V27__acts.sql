-- The log of acts: who did what, or was refused. An act is JSON text, kept letter by letter, since its digest is made of it.

-- Requests that are answered now, and acts that wait to be sealed.
create table acts_open (
    id bigint generated always as identity primary key,
    instance text not null,
    ended boolean not null,
    begun_at timestamptz not null default now(),
    act json not null
);

-- The chain. Whoever runs the service may add to it and read it, and nothing else.
create table acts (
    seq bigint primary key,
    act json not null,
    digest text not null,
    who text generated always as (act ->> 'who') stored,
    what text generated always as (act ->> 'act') stored,
    at text generated always as (act ->> 'at') stored,
    about jsonb generated always as ((act -> 'about')::text::jsonb) stored
);
create index acts_who on acts (who, seq);
create index acts_what on acts (what, seq);
create index acts_at on acts (at);
create index acts_about on acts using gin (about jsonb_path_ops);

-- Parts of the chain that were closed: their acts are gone, and the chain begins behind the last of them.
create table act_segments (
    first_seq bigint primary key,
    last_seq bigint not null,
    digest text not null,
    closed_at text not null,
    signature text not null
);

-- The chain's head as it was signed and sent out.
create table act_heads (
    seq bigint primary key,
    digest text not null,
    at text not null,
    signature text not null
);

-- Which log this is, so that no head of another one counts for it.
create table act_log (
    the_one boolean primary key default true check (the_one),
    id uuid not null default gen_random_uuid()
);
insert into act_log default values;

create function refuse_change() returns trigger language plpgsql as $$
begin
    -- Who owns the table may close a part, by the function below.
    if tg_op <> 'DELETE' or current_user <> (select tableowner from pg_tables where schemaname = tg_table_schema and tablename = tg_table_name) then
        raise exception 'the log of acts is not changed';
    end if;
    return null;
end $$;
create trigger acts_stay before update or delete or truncate on acts for each statement execute function refuse_change();
create trigger segments_stay before update or delete or truncate on act_segments for each statement execute function refuse_change();
create trigger heads_stay before update or delete or truncate on act_heads for each statement execute function refuse_change();
create trigger log_stays before update or delete or truncate on act_log for each statement execute function refuse_change();

-- Closes all acts up to one: what is left of them is a digest, signed by the service.
create function close_acts(upto bigint, closing_at text, signed text) returns void language plpgsql security definer set search_path = public as $$
begin
    insert into act_segments (first_seq, last_seq, digest, closed_at, signature)
    select (select min(seq) from acts), seq, digest, closing_at, signed from acts where seq = upto;
    delete from acts where seq <= upto;
end $$;
