-- Bandwidth that a service has on a port is reserved: the models' name of that number is the key of its allocations.
update allocations set key = 'reserved_rate' || substr(key, length('promise') + 1) where key = 'promise' or key like 'promise/%';
update orders set plan_json = regexp_replace(plan_json, '("key"\s*:\s*")promise(["/])', '\1reserved_rate\2', 'g') where plan_json like '%promise%';
