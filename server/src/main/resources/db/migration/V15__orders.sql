-- Whether each service of an order is done or rolled back by itself: asked for at each start and takeover, and not read from the document.
alter table orders add column by_service boolean not null default false;
update orders set by_service = true where document ~ '(^|[\n{,]\s*)["'']?atomic["'']?\s*:\s*["'']?service';
-- What a device complained of, as data: its errors, and the services, clauses and fields that the nodes at fault belong to.
alter table orders add column faults_json text not null default '[]';
