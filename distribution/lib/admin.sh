# rilvan admin: works on an installation's store and key, past the service. Run by bin/rilvan, as root or as the user of the service.
set -euo pipefail
umask 077
HOME_OF=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
ENV_FILE=${RILVAN_ENV:-/etc/rilvan/rilvan.env}

say() { printf '%s\n' "$*"; }
refuse() { printf 'rilvan admin: %s\n' "$*" >&2; exit 3; }
usage() {
  cat <<'TEXT'
Usage: rilvan admin check [FOLDER]
       rilvan admin backup FOLDER
       rilvan admin restore FOLDER [--replace]

  check              whether this installation is set up as it should be; with a FOLDER, whether a backup is whole
  backup FOLDER      the store and the key that its secrets are sealed with, into a new folder. The service may run
  restore FOLDER     a backup into an empty database. No instance may run. With --replace what the database has is dropped,
                     and another key at its place is kept beside it
Where the store and the key are is read from /etc/rilvan/rilvan.env, or from the file that RILVAN_ENV names.

Exit codes: 0 done, 2 wrong usage, 3 refused or not as it should be.

Example: rilvan admin backup /var/backups/rilvan/$(date +%F)
TEXT
}

settings() {
  [ -r "$ENV_FILE" ] || refuse "$ENV_FILE cannot be read; run this as root, or name another file in RILVAN_ENV"
  local line
  # As systemd reads it: NAME=VALUE, without a shell.
  while IFS= read -r line || [ -n "$line" ]; do
    [[ $line =~ ^([A-Z_]+)=(.*)$ ]] && declare -g "${BASH_REMATCH[1]}=${BASH_REMATCH[2]}"
  done <"$ENV_FILE"
  local name
  for name in SPRING_DATASOURCE_URL SPRING_DATASOURCE_PASSWORD SPRING_FLYWAY_USER SPRING_FLYWAY_PASSWORD RILVAN_KEY_FILE; do
    [ -n "${!name:-}" ] || refuse "$ENV_FILE does not say $name"
  done
  [[ $SPRING_DATASOURCE_URL =~ ^jdbc:postgresql://([A-Za-z0-9.:,_-]+)/([A-Za-z0-9_]+) ]] || refuse "SPRING_DATASOURCE_URL in $ENV_FILE is not jdbc:postgresql://HOST:PORT/DATABASE"
  local hosts=${BASH_REMATCH[1]}
  export PGDATABASE=${BASH_REMATCH[2]} PGUSER=$SPRING_FLYWAY_USER PGPASSWORD=$SPRING_FLYWAY_PASSWORD PGCONNECT_TIMEOUT=10
  command -v pg_dump >/dev/null || refuse "pg_dump is missing: apt-get install postgresql-client"
  host "${hosts%%,*}"
  [[ $hosts != *,* ]] || primary "$hosts"
}

host() { export PGHOST=${1%%:*} PGPORT=5432; [[ $1 != *:* ]] || PGPORT=${1##*:}; }

# primary HOSTS: goes to that one which is the primary; a former primary that came back is on an earlier timeline.
primary() {
  local each best= highest= timeline
  for each in ${1//,/ }; do
    host "$each"
    timeline=$(ask 'select substr(pg_walfile_name(pg_current_wal_lsn()), 1, 8) where not pg_is_in_recovery()' 2>/dev/null) || continue
    [[ -z $timeline || ! $timeline > "$highest" ]] || { best=$each highest=$timeline; }
  done
  [ -n "$best" ] || refuse "none of the hosts $1 is a primary that lets $PGUSER in"
  host "$best"
}

ask() { psql -qAtX -v ON_ERROR_STOP=1 -c "$1"; }

wrong=0
found() { # ok TEXT, or what is wrong and what to do
  if [ "$1" = ok ]; then say "ok     $2"; else say "wrong  $2"; wrong=3; fi
}

# key_name FILE: what the service calls the key in a file by.
key_name() { { printf 'name of the key '; cat "$1"; } | sha256sum | cut -c1-12; }

check_installation() {
  settings
  local bytes mode
  if bytes=$(stat -c %s "$RILVAN_KEY_FILE" 2>/dev/null); then
    mode=$(stat -c %a "$RILVAN_KEY_FILE")
    if [ "$bytes" = 32 ] && [ "$mode" = 600 ]; then found ok "the key $RILVAN_KEY_FILE"; else found wrong "the key $RILVAN_KEY_FILE must be 32 bytes of mode 600; it has $bytes of mode $mode"; fi
  else
    found wrong "there is no key at $RILVAN_KEY_FILE; make one: head -c 32 /dev/urandom, mode 600, owned by the user of the service"
  fi
  if ask 'select 1' >/dev/null 2>&1; then found ok "the store at $PGHOST:$PGPORT/$PGDATABASE lets $PGUSER in"; else
    found wrong "the store at $PGHOST:$PGPORT/$PGDATABASE does not let $PGUSER in: $(ask 'select 1' 2>&1 | tail -1)"; exit 3; fi
  if PGUSER=${SPRING_DATASOURCE_USERNAME:-rilvan_service} PGPASSWORD=$SPRING_DATASOURCE_PASSWORD ask 'select 1' >/dev/null 2>&1; then found ok "it lets ${SPRING_DATASOURCE_USERNAME:-rilvan_service} in"
  else found wrong "it does not let ${SPRING_DATASOURCE_USERNAME:-rilvan_service} in; run conf/roles.sql again"; fi
  if [ "$(ask "select bool_or(rolsuper) from pg_roles where rolname in ('$PGUSER', '${SPRING_DATASOURCE_USERNAME:-rilvan_service}')")" = f ]; then found ok "neither is a superuser"
  else found wrong "one of the two is a superuser of PostgreSQL, which the service does not need"; fi
  if [ "$(ask 'show synchronous_commit')" = off ] || [ "$(ask 'show fsync')" = off ]; then
    found wrong "the store may forget what it was told (fsync or synchronous_commit is off)"; else found ok "the store keeps what it was told"; fi
  if [ -n "$(ask "select to_regclass('flyway_schema_history')")" ]; then
    say "       schema $(schema), $(ask 'select count(*) from services') services, $(ask 'select count(*) from devices') devices, $(ask 'select pg_size_pretty(pg_database_size(current_database()))')"
    say "       instances that run: $(running_instances)"
    if [ -r "$RILVAN_KEY_FILE" ] && [ -n "$(ask "select to_regclass('sealed_keys')")" ] && [ "$(ask 'select count(*) from sealed_keys')" != 0 ]; then
      local opens; opens=$(ask "select string_agg(distinct opened_by, ' and ') from sealed_keys")
      if [[ $opens == *$(key_name "$RILVAN_KEY_FILE")* ]]; then found ok "the key $(key_name "$RILVAN_KEY_FILE") opens the store"
      else found wrong "the key $(key_name "$RILVAN_KEY_FILE") does not open the store, which $opens would; put that one at $RILVAN_KEY_FILE"; fi
    fi
  else
    say "       the store is empty; the first start makes its tables"
  fi
  exit "$wrong"
}

running_instances() { ask 'select count(*) from instances where alive_until > now()'; }

schema() { ask 'select version from flyway_schema_history where success and version is not null order by installed_rank desc limit 1'; }

# whole FOLDER: whether a backup has what its list says.
whole() {
  [ -e "$1/manifest" ] && [ -e "$1/SHA256SUMS" ] || refuse "$1 is no backup of Rilvan"
  (cd "$1" && sha256sum --check --quiet --strict SHA256SUMS >/dev/null 2>&1) || refuse "$1 is damaged: $(cd "$1" && sha256sum --check --quiet SHA256SUMS 2>/dev/null | tr '\n' ' ')"
  pg_restore -l "$1/store.dump" >/dev/null || refuse "$1/store.dump cannot be read"
  # Not from the list of what is in the dump, which a store of an earlier version lacks.
  local keys; keys=$(pg_restore --data-only -t sealed_keys -f - "$1/store.dump" | grep -P '^(credentials|services|log)\t' || true)
  [ -z "$keys" ] || [[ $keys == *$(key_name "$1/rilvan.key")* ]] || refuse "the key in $1 does not open the store in it; it was changed while the backup was taken, so take another"
}

from_manifest() { sed -n "s/^$2=//p" "$1/manifest"; }

backup() {
  settings
  local to=$1
  [ ! -e "$to" ] || refuse "$to is there already; a backup goes into a new folder"
  [ -r "$RILVAN_KEY_FILE" ] || refuse "the key $RILVAN_KEY_FILE cannot be read; without it nothing could be read from the backup"
  mkdir -p "$to.partial"
  trap 'rm -rf "$to.partial"' EXIT
  cp "$RILVAN_KEY_FILE" "$to.partial/rilvan.key"
  pg_dump -Fc --no-owner --no-privileges -f "$to.partial/store.dump" || refuse "the store could not be dumped"
  {
    say "version=$(cat "$HOME_OF/VERSION" 2>/dev/null || echo unreleased)"
    say "schema=$(schema)"
    say "taken=$(date -u +%Y-%m-%dT%H:%M:%SZ)"
    say "log=$(ask 'select id from act_log')"
    say "acts=$(ask 'select coalesce(max(seq), 0) from acts')"
    say "services=$(ask 'select count(*) from services')"
  } >"$to.partial/manifest"
  (cd "$to.partial" && sha256sum manifest rilvan.key store.dump >SHA256SUMS)
  whole "$to.partial"
  mv "$to.partial" "$to"
  trap - EXIT
  say "$to has the store and its key: $(from_manifest "$to" services) services, schema $(from_manifest "$to" schema)."
  say "They belong together: without the key no secret in the store can be read, and who has both can sign in to every device. Keep the folder accordingly."
}

what_is_there_goes() {
  cat <<'SQL'
set client_min_messages = warning;
do $$ declare each record; begin
  for each in select format('drop table if exists %I cascade', tablename) as it from pg_tables where schemaname = 'public' loop execute each.it; end loop;
  for each in select format('drop function if exists %s cascade', oid::regprocedure) as it from pg_proc where pronamespace = 'public'::regnamespace loop execute each.it; end loop;
end $$;
SQL
}

# what_a_restore_ends TIME: what was ended since the backup would be valid again, and what is known of devices is old; everybody signs in anew, and each device is read before anything else.
what_a_restore_ends() {
  cat <<SQL
set search_path = public;
delete from tokens;
delete from instances;
update devices set read_at = to_timestamp(0) where read_at is not null;
insert into acts_open (instance, ended, act) values ('-', true, json_build_object('about', json_build_array('backup $1'), 'act', 'restore backup', 'address', '',
  'at', to_char(now() at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"'), 'request', '', 'result', 'done', 'token', 0, 'who', '(service)'));
SQL
}

restore() {
  settings
  local from=$1 replace=${2:-}
  [ -z "$replace" ] || [ "$replace" = --replace ] || { usage >&2; exit 2; }
  whole "$from"
  local tables
  tables=$(ask "select count(*) from pg_tables where schemaname = 'public'")
  if [ "$tables" != 0 ]; then
    [ -z "$(ask "select to_regclass('instances')")" ] || [ "$(running_instances)" = 0 ] || refuse "an instance of the service runs on this store; stop all of them first"
    [ -n "$replace" ] || refuse "the database $PGDATABASE is not empty; with --replace what it has is dropped"
  fi
  local other_key=
  if [ -e "$RILVAN_KEY_FILE" ] && ! cmp -s "$RILVAN_KEY_FILE" "$from/rilvan.key"; then
    [ -n "$replace" ] || refuse "the key at $RILVAN_KEY_FILE is not that of the backup; with --replace it is kept beside it"
    other_key=1
  fi
  # Whole or not at all, also where something is replaced: one transaction, in which a dump that cannot be read is an error. The tables get the rights that conf/roles.sql says new ones have.
  {
    [ "$tables" = 0 ] || what_is_there_goes
    pg_restore --no-owner --no-privileges -f - "$from/store.dump" || printf '\n\\.\nselect 1 / 0;\n'
    what_a_restore_ends "$(from_manifest "$from" taken)"
  } | psql -qX -v ON_ERROR_STOP=1 --single-transaction >/dev/null || refuse "the store could not be restored; the database and the key are as they were"
  [ -z "$other_key" ] || mv "$RILVAN_KEY_FILE" "$RILVAN_KEY_FILE.before-$(date -u +%Y%m%dT%H%M%SZ)"
  [ -e "$RILVAN_KEY_FILE" ] || cp "$from/rilvan.key" "$RILVAN_KEY_FILE"
  [ "$(id -u)" != 0 ] || ! id -u rilvan >/dev/null 2>&1 || chown rilvan "$RILVAN_KEY_FILE"
  local under_way
  under_way=$(ask "select count(*) from orders where ended_at is null")
  say "restored what was there at $(from_manifest "$from" taken): $(from_manifest "$from" services) services, schema $(from_manifest "$from" schema)."
  say "Start the service. It reads every device that it knows and shows what differs as drift; everybody signs in again$([ "$under_way" = 0 ] || printf '; %s orders were under way and are resolved' "$under_way")."
  say "Services that were placed later stand on devices and are not known: look at 'rilvan device drift', and order them again."
}

case ${1:-} in
  check) if [ $# = 2 ]; then command -v pg_restore >/dev/null || refuse "pg_restore is missing: apt-get install postgresql-client"; whole "$2"; say "whole: $(from_manifest "$2" services) services, taken at $(from_manifest "$2" taken) by version $(from_manifest "$2" version)"
         elif [ $# = 1 ]; then check_installation; else usage >&2; exit 2; fi;;
  backup) [ $# = 2 ] || { usage >&2; exit 2; }; backup "$2";;
  restore) [ $# = 2 ] || [ $# = 3 ] || { usage >&2; exit 2; }; restore "${@:2}";;
  ''|-h|--help|help) usage;;
  *) usage >&2; exit 2;;
esac
