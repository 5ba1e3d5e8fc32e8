#!/usr/bin/env bash
# The whole product for tests: started, then driven by lines on standard input, each a function of setup/parts.sh; every line
# is answered by "done" and its exit code. Ends everything when the input ends.
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/../setup/parts.sh"
RUN=$BUILD/${RUN_NAME:-e2e}
umount "$RUN/store" 2>/dev/null || true
[ ! -e "$RUN/store/postmaster.pid" ] || as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" -m immediate stop >/dev/null 2>&1 || true
rm -rf "$RUN"
trap stop_all EXIT
ensure_packages chromium

# A store on two hosts, where WITH_STANDBY is set: one follows the other, which waits for it at each commit. PRIMARY and STANDBY are their folders.
declare -A PORT_OF_HOST
PRIMARY=store STANDBY=store-2

run_host() { # folder
  as_store_user "$PG_BIN/pg_ctl" -D "$RUN/$1" -w -o "-c listen_addresses=127.0.0.1 -c port=${PORT_OF_HOST[$1]} -c unix_socket_directories=" start >>"$RUN/store.log" 2>&1 </dev/null
}
on_host() { # folder statement
  PGPASSWORD=$(cat "$RUN/store.password") "$PG_BIN/psql" -qAt -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "${PORT_OF_HOST[$1]}" -U rilvan postgres -c "$2"
}
waits_for() { # standby names: whom the primary waits for at each commit
  on_host "$PRIMARY" "alter system set synchronous_standby_names = '$1'"
  on_host "$PRIMARY" "select pg_reload_conf()" >/dev/null
}
follow() { # the standby is made anew from the primary, and follows it
  rm -rf "${RUN:?}/$STANDBY"; mkdir -p "$RUN/$STANDBY"
  [ "$(id -u)" != 0 ] || chown postgres "$RUN/$STANDBY"
  as_store_user env PGPASSWORD="$(cat "$RUN/store.password")" "$PG_BIN/pg_basebackup" -D "$RUN/$STANDBY" -R -c fast -h 127.0.0.1 -p "${PORT_OF_HOST[$PRIMARY]}" -U rilvan >>"$RUN/store.log" 2>&1 &&
    chmod 700 "$RUN/$STANDBY" && run_host "$STANDBY" && waits_for '*' &&
    until [ "$(on_host "$PRIMARY" "select count(*) from pg_stat_replication where sync_state = 'sync'")" = 1 ]; do sleep 0.1; done
}
# The primary is lost as by a power cut, and the standby takes its place.
lose_primary() {
  local postmaster; postmaster=$(head -1 "$RUN/$PRIMARY/postmaster.pid")
  kill -9 "$postmaster" $(pgrep -P "$postmaster") || true
  while pgrep -P "$postmaster" >/dev/null || kill -0 "$postmaster" 2>/dev/null; do sleep 0.05; done
  rm -f "$RUN/$PRIMARY/postmaster.pid"
  local former=$PRIMARY
  PRIMARY=$STANDBY STANDBY=$former STORE_PORT=${PORT_OF_HOST[$STANDBY]}
  as_store_user "$PG_BIN/pg_ctl" -D "$RUN/$PRIMARY" -w promote >>"$RUN/store.log" 2>&1 && waits_for ''
}
# The former primary comes back as it was, and takes itself for the primary.
former_returns() { run_host "$STANDBY" && on_host "$STANDBY" "alter system set synchronous_standby_names = ''" && on_host "$STANDBY" "select pg_reload_conf()" >/dev/null; }
former_goes() { as_store_user "$PG_BIN/pg_ctl" -D "$RUN/$STANDBY" -w -m fast stop >>"$RUN/store.log" 2>&1; }
# What an administrator has goes to the primary as well, and the key there opens the store.
admin_sees_the_primary() {
  printf '%s\n' "SPRING_DATASOURCE_URL=jdbc:postgresql://$STORE_HOSTS/postgres" "SPRING_DATASOURCE_PASSWORD=$(cat "$RUN/service.password")" "SPRING_FLYWAY_USER=rilvan_owner" \
    "SPRING_FLYWAY_PASSWORD=$(cat "$RUN/owner.password")" "RILVAN_KEY_FILE=$RUN/rilvan.key" >"$RUN/admin.env"
  local said; said=$(RILVAN_ENV=$RUN/admin.env bash "$ROOT/distribution/lib/admin.sh" check) || { say "$said"; return 1; }
  [[ $said == *"the store at 127.0.0.1:${PORT_OF_HOST[$PRIMARY]}/postgres lets"* && $said == *"opens the store"* ]] || { say "$said"; return 1; }
}
former_has() { say "former $(on_host "$STANDBY" "select coalesce(max(id), 0) from orders")"; }

# A store on a disk of its own, of so many megabytes, where WITH_SMALL_DISK says so. Only root can have one.
if [ -n "${WITH_SMALL_DISK:-}" ]; then
  mkdir -p "$RUN/store"
  mount -t tmpfs -o "size=${WITH_SMALL_DISK}m" store "$RUN/store"
  trap 'stop_all; umount "$RUN/store"' EXIT
fi
fill_disk() { head -c "${WITH_SMALL_DISK}M" /dev/zero >"$RUN/store/filler" 2>/dev/null || true; }
# A store that has ended for want of room is started again, as its supervisor would.
free_disk() {
  rm "$RUN/store/filler"
  as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" status >/dev/null || { rm -f "$RUN/store/postmaster.pid"; run_store; }
}

# A clock that can be set, of the service alone, where WITH_CLOCK is set.
set_clock() { python3 -c 'import struct, sys; open(sys.argv[1], "r+b").write(struct.pack("=q", int(sys.argv[2])))' "$RUN/clock" "$1"; } # seconds that it is ahead
if [ -n "${WITH_CLOCK:-}" ]; then
  command -v gcc >/dev/null || install_packages gcc libc6-dev
  mkdir -p "$RUN"; chmod 711 "$RUN"; touch "$RUN/clock"; set_clock 0
  gcc -shared -fPIC -O2 -o "$RUN/clock.so" "$ROOT/e2e/clock.c"
  SERVICE_WITH="env LD_PRELOAD=$RUN/clock.so CLOCK_OFFSET=$RUN/clock"
fi

build
if [ -n "${WITH_STANDBY:-}" ]; then
  start_store
  PORT_OF_HOST[store]=$STORE_PORT PORT_OF_HOST[store-2]=$(free_port $((STORE_PORT + 1)))
  follow
  STORE_HOSTS=127.0.0.1:${PORT_OF_HOST[store]},127.0.0.1:${PORT_OF_HOST[store-2]}
fi
start_all
say "ready $RILVAN_SERVER $RILVAN_LAB $RUN"

# Ends the service without a word of warning, as a power cut would.
cut_service() {
  ! is_own "$SERVICE_PID" || kill -9 "$SERVICE_PID"
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
end_hosts() { for host in store store-2; do as_store_user "$PG_BIN/pg_ctl" -D "$RUN/$host" -m fast stop >/dev/null 2>&1 || true; done; }

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
revive() { for number in "${!PIDS[@]}"; do is_own "${PIDS[$number]}" || launch "$number"; done; }
cut() { ! is_own "${PIDS[$1]}" || kill -9 "${PIDS[$1]}"; wait "${PIDS[$1]}" 2>/dev/null || true; }
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
end_instances() { for number in "${!PIDS[@]}"; do ! is_own "${PIDS[$number]}" || kill -CONT "${PIDS[$number]}" 2>/dev/null || true; stop_process "${PIDS[$number]}"; done; }
trap 'end_instances; stop_all; [ -z "${WITH_STANDBY:-}" ] || end_hosts; [ -z "${WITH_SMALL_DISK:-}" ] || umount "$RUN/store"' EXIT

while read -r line; do
  code=0
  $line || code=$?
  say "done $code"
done
