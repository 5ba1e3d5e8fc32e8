-- One word for one thing: states, phases and results are stored with the words that people read.

drop index orders_unfinished;
update orders set state = case state when 'OPEN' then 'PLANNED' when 'HELD' then 'CONNECTED' when 'ARMED' then 'PREPARED'
    when 'TURN' then 'ROLLING_BACK' when 'ABORTED' then 'ROLLED_BACK' else state end;
create index orders_unfinished on orders (id) where state not in ('DONE', 'ROLLED_BACK');
alter table orders rename column taken_back_by to cancelled_by;
-- Whether an order that has not ended is on its way back to the state before it.
alter table orders add column rolling_back boolean not null default false;

alter table order_events rename column word to result;
update order_events set
    result = case result when 'BEGINS' then 'STARTED' when 'WARNS' then 'WARNING' when 'SUCCEEDS' then 'OK' when 'FAILS' then 'FAILED'
        when 'OPEN' then 'PLANNED' when 'HELD' then 'CONNECTED' when 'ARMED' then 'PREPARED' when 'TURN' then 'ROLLING_BACK'
        when 'ABORTED' then 'ROLLED_BACK' else result end,
    phase = case phase when 'OPEN' then 'CONNECT' when 'LOOK' then 'LOCK_AND_READ' when 'PREPARE' then 'EDIT_AND_VALIDATE'
        when 'COMMIT' then 'CONFIRMED_COMMIT' when 'WAIT' then 'EXTEND' when 'PROVE' then 'CHECKS' when 'LOOK_AGAIN' then 'FINAL_READ'
        when 'GO_BACK' then 'ROLL_BACK' when 'BRING_FORWARD' then 'REAPPLY' else phase end;

alter table order_checks rename column proves to covers;
alter table order_checks rename column holds to passed;
alter table order_checks rename column seen to value;
alter table order_checks rename column held_before to passed_before;
alter table order_checks rename column seen_before to value_before;
alter table order_checks rename column way to path;
update order_checks set covers = 'NOT_TESTABLE_YET' where covers = 'AWAITED';

update devices set kind = 'CONFIRMED_COMMIT' where kind = 'REVOCABLE';
update order_parts set kind = 'CONFIRMED_COMMIT' where kind = 'REVOCABLE';

alter table service_looks rename to service_health;
alter table service_health rename column at to checked_at;
alter table service_health rename column wrong to failures;
alter index service_looks_at rename to service_health_checked_at;

-- Fields of documents that have a new name. A field is followed by a colon; within a text of JSON its quotes would be escaped.
update services set parameters_json = regexp_replace(regexp_replace(regexp_replace(parameters_json,
    '(^|[^\\])"answers"(\s*:)', '\1"tcp_reachable"\2', 'g'), '(^|[^\\])"barred"(\s*:)', '\1"tcp_blocked"\2', 'g'),
    '(^|[^\\])"second_home_of"(\s*:)', '\1"multihomed_with"\2', 'g') where model = 'l3vpn';
update services set parameters_json = regexp_replace(parameters_json, '(^|[^\\])"apart"(\s*:)', '\1"isolated"\2', 'g') where model = 'tenant';
-- A service that was removed has no row that says its model: its history is told by the fields, which no other model had.
update service_history set parameters_json = regexp_replace(regexp_replace(regexp_replace(regexp_replace(parameters_json,
    '(^|[^\\])"answers"(\s*:)', '\1"tcp_reachable"\2', 'g'), '(^|[^\\])"barred"(\s*:)', '\1"tcp_blocked"\2', 'g'),
    '(^|[^\\])"second_home_of"(\s*:)', '\1"multihomed_with"\2', 'g'), '(^|[^\\])"apart"(\s*:)', '\1"isolated"\2', 'g');
update orders set plan_json = regexp_replace(regexp_replace(regexp_replace(regexp_replace(plan_json,
    '(^|[^\\])"answers"(\s*:)', '\1"tcp_reachable"\2', 'g'), '(^|[^\\])"barred"(\s*:)', '\1"tcp_blocked"\2', 'g'),
    '(^|[^\\])"second_home_of"(\s*:)', '\1"multihomed_with"\2', 'g'), '(^|[^\\])"apart"(\s*:)', '\1"isolated"\2', 'g');
-- The document of an order is kept as it was written, in YAML or JSON.
update orders set document = regexp_replace(regexp_replace(document,
    '(^|[\n{,]\s*)(["'']?)stands\2(\s*:\s*)(["'']?)each\4', '\1\2atomic\2\3\4service\4', 'g'),
    '(^|[\n{,]\s*)(["'']?)stands\2(\s*:\s*)(["'']?)whole\4', '\1\2atomic\2\3\4order\4', 'g');
update orders set document = regexp_replace(regexp_replace(regexp_replace(regexp_replace(document,
    '(^|[\n{,]\s*(?:- +)?)(["'']?)answers\2(\s*:)', '\1\2tcp_reachable\2\3', 'g'),
    '(^|[\n{,]\s*(?:- +)?)(["'']?)barred\2(\s*:)', '\1\2tcp_blocked\2\3', 'g'),
    '(^|[\n{,]\s*(?:- +)?)(["'']?)second_home_of\2(\s*:)', '\1\2multihomed_with\2\3', 'g'),
    '(^|[\n{,]\s*(?:- +)?)(["'']?)apart\2(\s*:)', '\1\2isolated\2\3', 'g') where document ~ '\m(l3vpn|tenant)\M';
