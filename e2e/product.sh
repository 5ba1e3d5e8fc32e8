#!/usr/bin/env bash
# The whole product for tests: started, then driven by lines on standard input, each a function of setup/parts.sh; every line
# is answered by "done" and its exit code. Ends everything when the input ends.
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/../setup/parts.sh"
RUN=$BUILD/${RUN_NAME:-e2e}
[ ! -e "$RUN/store/postmaster.pid" ] || as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" -m immediate stop >/dev/null 2>&1 || true
rm -rf "$RUN"
trap stop_all EXIT
ensure_packages chromium
build
start_all
say "ready $RILVAN_SERVER $RILVAN_LAB $RUN"

# Ends the service without a word of warning, as a power cut would.
cut_service() {
  kill -9 "$SERVICE_PID"
  wait "$SERVICE_PID" 2>/dev/null || true
}

# Neither of the two processes is root's, and the service may read and write rows, and nothing else.
processes_are_unprivileged() {
  local process statement
  for process in "$SERVICE_PID" "$LAB_PID"; do
    [ "$(id -u)" != 0 ] || [ "$(stat -c %u "/proc/$process")" != 0 ] || return 1
  done
  as_service_role 'select count(*) from orders' || return 1
  for statement in 'create table mine (id int)' 'drop table orders' 'alter table orders add mine int' 'create role other' 'truncate orders' 'delete from acts' 'update acts set digest = digest' "copy orders to program 'cat'"; do
    ! as_service_role "$statement" || return 1
  done
}
# Neither the store nor a log has a text in it.
# What is published, examples with their own made-up secrets among it, is kept as it was written.
nothing_stored_contains() { # text
  ! PGPASSWORD=$(cat "$RUN/store.password") "$PG_BIN/pg_dump" --exclude-table-data=releases -h 127.0.0.1 -p "$STORE_PORT" -U rilvan postgres | grep -F -- "$*" && ! grep -F -- "$*" "$RUN"/service*.log
}
as_service_role() { # statement
  PGPASSWORD=$(cat "$RUN/service.password") "$PG_BIN/psql" -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$STORE_PORT" -U rilvan_service postgres -c "$1" >/dev/null 2>&1
}

# Whoever has all rights over the database.
as_store_owner() { # statement
  PGPASSWORD=$(cat "$RUN/store.password") "$PG_BIN/psql" -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$STORE_PORT" -U rilvan postgres -c "$*" >/dev/null
}

# Further instances on the same store, each by its number, and what may befall them; the store, and what may befall it.
declare -A PIDS PORT_OF

launch() { # number; the first instance stays the one that the functions above are about
  local pid=$SERVICE_PID port=$SERVICE_PORT server=$RILVAN_SERVER
  SERVICE_NAME=service-$1 SERVICE_PORT=${PORT_OF[$1]:-$(free_port $((PORTS + 30 + 10 * $1)))}
  launch_service
  PIDS[$1]=$SERVICE_PID PORT_OF[$1]=$SERVICE_PORT
  say "instance $RILVAN_SERVER"
  unset SERVICE_NAME
  SERVICE_PID=$pid SERVICE_PORT=$port; export RILVAN_SERVER=$server
}
# An instance that could not start, since the store was just away, is started again.
revive() { for number in "${!PIDS[@]}"; do kill -0 "${PIDS[$number]}" 2>/dev/null || launch "$number"; done; }
cut() { kill -9 "${PIDS[$1]}"; wait "${PIDS[$1]}" 2>/dev/null || true; }
# As for an upgrade: it is asked to end, and may finish what it is at.
end() { stop_process "${PIDS[$1]}"; }
pause() { kill -STOP "${PIDS[$1]}"; }
wake() { kill -CONT "${PIDS[$1]}"; }
# Ends all connections of the service to its store, in the middle of whatever they do.
cut_connections() { as_store_owner "select count(pg_terminate_backend(pid)) from pg_stat_activity where usename = 'rilvan_service'"; }
cut_store() {
  local postmaster; postmaster=$(head -1 "$RUN/store/postmaster.pid")
  kill -9 "$postmaster" $(pgrep -P "$postmaster") || true
  while pgrep -P "$postmaster" >/dev/null || kill -0 "$postmaster" 2>/dev/null; do sleep 0.05; done
  rm -f "$RUN/store/postmaster.pid"
  run_store
}
end_instances() { for number in "${!PIDS[@]}"; do kill -CONT "${PIDS[$number]}" 2>/dev/null || true; stop_process "${PIDS[$number]}"; done; }
trap 'end_instances; stop_all' EXIT

while read -r line; do
  code=0
  $line || code=$?
  say "done $code"
done
