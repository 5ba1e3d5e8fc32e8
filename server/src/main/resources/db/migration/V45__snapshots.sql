-- What each device was known to hold, from each change on: by an order, or as it was read. What a device holds again is stored once; by device, so that orders on different devices never wait for each other.
create table configurations (
    device        text not null,
    digest        text not null, -- SHA-256 of the text
    configuration text not null,
    primary key (device, digest)
);
create table snapshots (
    device   text not null,
    at       timestamptz not null default clock_timestamp(),
    digest   text not null,
    order_id bigint references orders (id) on delete set null, -- null where the device was found so
    primary key (device, at),
    foreign key (device, digest) references configurations (device, digest)
);
create index snapshots_digest on snapshots (device, digest);
create index snapshots_at on snapshots (at);
create index snapshots_order on snapshots (order_id) where order_id is not null;

-- An order holds its devices until its end, with which it is known what they hold then.
create function take_snapshot() returns trigger language plpgsql as $$
declare
    its_digest text := encode(sha256(convert_to(new.configuration, 'UTF8')), 'hex');
begin
    insert into configurations (device, digest, configuration) values (new.name, its_digest, new.configuration) on conflict do nothing;
    insert into snapshots (device, digest, order_id) values (new.name, its_digest, (select order_id from holds where kind = 'device' and name = new.name)) on conflict do nothing;
    return null;
end
$$;
create trigger take_snapshot after update of configuration on devices for each row when (new.configuration is not null and new.configuration is distinct from old.configuration) execute function take_snapshot();

insert into configurations (device, digest, configuration)
    select name, encode(sha256(convert_to(configuration, 'UTF8')), 'hex'), configuration from devices where configuration is not null;
insert into snapshots (device, at, digest)
    select name, coalesce(read_at, now()), encode(sha256(convert_to(configuration, 'UTF8')), 'hex') from devices where configuration is not null;
