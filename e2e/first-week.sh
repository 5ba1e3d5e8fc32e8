#!/usr/bin/env bash
# An administrator's first week: Rilvan is installed from its archive beside a PostgreSQL of one's own, with TLS; two people and a program work with it; a token is stolen;
# a backup is taken in the middle of an order; the machine is lost; the backup is restored on another one, and that is upgraded. Each step must end as told.
# With FIRST_ARCHIVE the week begins with the archive of an earlier version, and is upgraded from it.
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/../setup/parts.sh"
. "$ROOT/setup/story.sh"
RUN=$BUILD/first-week
EXAMPLES=$ROOT/models/services
OPT=$RUN/opt/rilvan ETC=$RUN/etc VAR=$RUN/var TLS=$RUN/tls
export RILVAN_ENV=$ETC/rilvan.env HOME=$RUN/home
COMMAND=(installed) SHOWN=rilvan
INSTALLED=

# The command line of the installation, against the address that its TLS is for.
installed() { RILVAN_SESSION=$RUN/session-${AS:-engineer} "$OPT/bin/rilvan" "$@"; }

unpack() { # name archive: beside what is there, and what is run is the new one from then on
  mkdir -p "$RUN/opt/$1"
  tar xzf "$2" -C "$RUN/opt/$1" --strip-components=1
  ln -sfn "$1" "$OPT"
  (cd "$OPT" && sha256sum --check --quiet SHA256SUMS) || failed "the archive is damaged"
}

database() { PGPASSWORD=$(cat "$RUN/store.password") "$PG_BIN/psql" -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$STORE_PORT" -U rilvan "$@"; }

new_database() {
  database postgres -c 'create database rilvan'
  OWNER_PASSWORD=$(cat "$RUN/owner.password") SERVICE_PASSWORD=$(cat "$RUN/service.password") database rilvan -f "$OPT/conf/roles.sql" >/dev/null
}

configure() {
  mkdir -p "$ETC" "$VAR"
  sed -e "s|^SPRING_DATASOURCE_URL=.*|SPRING_DATASOURCE_URL=jdbc:postgresql://127.0.0.1:$STORE_PORT/rilvan|" -e "s|^SPRING_DATASOURCE_PASSWORD=.*|&$(cat "$RUN/service.password")|" \
    -e "s|^SPRING_FLYWAY_PASSWORD=.*|&$(cat "$RUN/owner.password")|" -e "s|/opt/rilvan|$OPT|; s|/etc/rilvan|$ETC|; s|/var/lib/rilvan|$VAR|" \
    -e "s|^RILVAN_FIRST_USER=.*|&engineer|" -e "s|^RILVAN_FIRST_PASSWORD=.*|&$(cat "$RUN/engineer.password")|" "$OPT/conf/rilvan.env" >"$RILVAN_ENV"
  # What the comments of the file say to take in for TLS in the service itself.
  sed -e "s|port: 8840|port: $SERVICE_PORT|; s|port: 8842|port: $MANAGEMENT_PORT|; s|/etc/rilvan/tls|$TLS|; s|interval: 1m |interval: 1s |; s|  # ssl.bundle|  ssl.bundle|" \
    -e '/^# spring.ssl/,/^# *options/s/^# //' -e '/^#   /s/^# //' "$OPT/conf/application.yaml" >"$ETC/application.yaml"
  give_to_service_user "$ETC" "$VAR"
}

# certificate SERIAL: for 127.0.0.1, signed by an authority of one's own.
certificate() {
  mkdir -p "$TLS"
  [ -e "$TLS/authority.pem" ] || openssl req -x509 -newkey ec -pkeyopt ec_paramgen_curve:P-256 -nodes -days 30 -subj "/CN=Skerra Telecom authority" -keyout "$TLS/authority.key" -out "$TLS/authority.pem" 2>/dev/null
  openssl req -newkey ec -pkeyopt ec_paramgen_curve:P-256 -nodes -subj "/CN=rilvan.skerra.example" -keyout "$TLS/new.key" -out "$TLS/request.pem" 2>/dev/null
  openssl x509 -req -in "$TLS/request.pem" -CA "$TLS/authority.pem" -CAkey "$TLS/authority.key" -set_serial "$1" -days 20 -extfile <(echo "subjectAltName=IP:127.0.0.1") -out "$TLS/new.pem" 2>/dev/null
  mv "$TLS/new.key" "$TLS/key.pem"; mv "$TLS/new.pem" "$TLS/certificate.pem"
  give_to_service_user "$TLS"
}
serial() { openssl s_client -connect "127.0.0.1:$SERVICE_PORT" </dev/null 2>/dev/null | openssl x509 -noout -serial; }

# As the unit does: in the folder of the settings, with the variables of the file, as the user of the service.
start_installed() {
  local line
  (
    cd "$ETC"
    while IFS= read -r line; do [[ $line =~ ^[A-Z_]+=. ]] && export "${line?}"; done <"$RILVAN_ENV"
    as_service_user "$OPT/bin/rilvan-service"
  ) >>"$RUN/installed.log" 2>&1 </dev/null &
  INSTALLED=$!
  local tries=0
  until curl -fs -o /dev/null --cacert "$TLS/authority.pem" "https://127.0.0.1:$SERVICE_PORT/api/v1/health"; do
    kill -0 $INSTALLED 2>/dev/null || { tail -20 "$RUN/installed.log"; failed "the service has ended"; }
    tries=$((tries + 1)); [ $tries -lt 900 ] || failed "the service is not ready after 90 s"
    sleep 0.1
  done
}
wait_until() { # text command …: until what the command says contains the text
  local text=$1 tries=0; shift
  until installed "$@" 2>&1 | grep -q -- "$text"; do tries=$((tries + 1)); [ $tries -lt 200 ] || failed "'$*' never says: $text"; sleep 0.3; done
}
program() { # method path [body]: what the program asks for with its token; the status of the answer
  curl -s -o "$RUN/answer" -w '%{http_code}' --cacert "$TLS/authority.pem" -X "$1" -H "Authorization: Bearer $(cat "$RUN/token")" -H 'X-Forwarded-For: 203.0.113.9' -H 'Content-Type: application/yaml' ${3:+--data-binary "@$3"} "https://127.0.0.1:$SERVICE_PORT$2"
}

ensure_packages chromium
build
[ ! -e "$RUN/store/postmaster.pid" ] || as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" -m immediate stop >/dev/null 2>&1 || true
rm -rf "$RUN"
trap 'stop_process "$INSTALLED"; stop_all' EXIT
trap 'exit 130' INT TERM
THIS_ARCHIVE=$(echo "$ROOT"/distribution/target/rilvan-*.tar.gz)
FIRST_ARCHIVE=${FIRST_ARCHIVE:-$THIS_ARCHIVE}
start_store
mkdir -p "$HOME"
start_lab
secret_file "$RUN/engineer.password"
SERVICE_PORT=$(free_port $((PORTS + 10))) MANAGEMENT_PORT=$(free_port $((PORTS + 50)))

tell "The archive is unpacked, and every file in it is as its checksum says. The database and its two roles are made."
unpack rilvan-1 "$FIRST_ARCHIVE"
new_database
certificate 1
configure
run 3 "there is no key" admin check
(umask 077; head -c 32 /dev/urandom >"$ETC/rilvan.key"); give_to_service_user "$ETC/rilvan.key"
run 0 "the store is empty" admin check

tell "The service starts, with TLS. Who has not signed its certificate is not believed to."
start_installed
run 4 "no safe connection" sign-in --server "https://127.0.0.1:$SERVICE_PORT" --user engineer --password-file "$RUN/engineer.password"
run 0 "signed in" sign-in --server "https://127.0.0.1:$SERVICE_PORT" --user engineer --password-file "$RUN/engineer.password" --ca "$TLS/authority.pem"
run 0 "instances that run: 1" admin check

tell "The network is loaded, its host keys are trusted, its devices read."
run 0 "" network load "$RUN/network.yaml"
run 0 "7 tenants" tenant load "$ROOT/models/demo/tenants.yaml"
run 0 "" network credential lab --user rilvan --password-file "$RUN/lab.password"
installed lab host-keys >"$RUN/host-keys"
run 0 "" device trust "$RUN/host-keys"
mapfile -t PLAYED < <(cut -d ' ' -f 1 "$RUN/host-keys")
run 0 "" device read "${PLAYED[@]}"

tell "Two people and a program: Anna runs orders, Bert prepares them, billing places orders by itself."
echo "the ferry leaves at seven" >"$RUN/anna.password"; echo "the lighthouse is white" >"$RUN/bert.password"
run 0 "anna is added" people add anna --roles run --password-file "$RUN/anna.password"
run 0 "bert is added" people add bert --roles prepare --password-file "$RUN/bert.password"
run 0 "billing is added" people add billing --program --roles run
installed people token billing --label 'orders from billing' --days 30 | head -1 >"$RUN/token"
AS=bert run 0 "signed in" sign-in --server "https://127.0.0.1:$SERVICE_PORT" --user bert --password-file "$RUN/bert.password" --ca "$TLS/authority.pem"
AS=anna run 0 "signed in" sign-in --server "https://127.0.0.1:$SERVICE_PORT" --user anna --password-file "$RUN/anna.password" --ca "$TLS/authority.pem"

tell "A day of orders."
AS=bert run 0 "haven-pe1" order preview "$EXAMPLES/l3vpn/examples/tidewater-clinics.yaml"
AS=bert run 3 "this needs the role run" order run "$EXAMPLES/l3vpn/examples/tidewater-clinics.yaml"
AS=anna run 0 "all devices hold what was ordered" order run "$EXAMPLES/l3vpn/examples/tidewater-clinics.yaml"
[ "$(program POST /api/v1/orders "$EXAMPLES/l2vpn/examples/kelp-works-wire.yaml")" = 202 ] || failed "the program's order was not taken"
wait_until "done .*billing" order list

tell "The certificate is renewed. The service takes the new one without a restart, and nobody is signed out."
certificate 2
until [ "$(serial)" = serial=02 ]; do kill -0 $INSTALLED; sleep 0.5; done
say "the service shows the certificate $(serial)"
AS=anna run 0 "anna" people me

tell "The program's token is found in a place where it should not be. It is ended, and opens nothing from then on."
ID=$(installed people tokens billing | awk '/orders from billing/ { print $1 }')
run 0 "is ended" people end-token "$ID" --of billing
[ "$(program GET /api/v1/orders)" = 401 ] || failed "the stolen token still opens something"
run 0 "end token" log list --about "account billing"
run 0 "127.0.0.1" log list --who billing
! installed log list --who billing | grep -q 203.0.113.9 || failed "an address that a client made up is believed without a proxy"

tell "The key is changed while the service runs, since a copy of its file has been lost."
FORMER=$(installed key list | awk 'NR == 2 { print $1 }')
run 5 "there is no key at" key add
(umask 077; head -c 32 /dev/urandom >"$ETC/rilvan.key.next"); give_to_service_user "$ETC/rilvan.key.next"
run 0 "opens the store as well" key add
run 5 "has not" key remove "$FORMER"
mv "$ETC/rilvan.key.next" "$ETC/rilvan.key"
until installed key remove "$FORMER" >"$RUN/removed" 2>&1; do kill -0 $INSTALLED; sleep 0.5; done
grep -q "opens the store no more" "$RUN/removed" || failed "the former key is not removed: $(cat "$RUN/removed")"
run 0 "opens the store" admin check
run 0 "read" device read "${PLAYED[0]}"

tell "A backup is taken, just when an order is on its way to the devices."
run 0 "" lab slow haven-npe1 commit --seconds 6
AS=anna run 0 "" order run --no-follow "$EXAMPLES/vpls/examples/ferries-quays.yaml"
wait_until " prepared " order list
run 0 "They belong together" admin backup "$RUN/backup"
run 0 "whole" admin check "$RUN/backup"
run 3 "a backup goes into a new folder" admin backup "$RUN/backup"
wait_until "done .*ferries-quays" order list

tell "Another order is placed after it. Then the machine is lost: programs, settings, key and database."
AS=anna run 0 "all devices hold what was ordered" order run "$EXAMPLES/l3vpn/examples/gannet-cold-stores.yaml"
cp "$VAR/log-heads.jsonl" "$RUN/heads-elsewhere.jsonl"
run 3 "an instance of the service runs on this store" admin restore "$RUN/backup"
kill -9 $INSTALLED; wait $INSTALLED 2>/dev/null || true
rm -rf "$RUN/opt" "$ETC" "$VAR"
database postgres -c 'drop database rilvan with (force)'

tell "On another machine it is installed anew, and the backup restored."
unpack rilvan-1 "$FIRST_ARCHIVE"
new_database
configure
# This machine has a proxy in front, at 127.0.0.1.
sed -i -e 's|  # forward-headers|  forward-headers|; s|  # tomcat.remoteip|  tomcat.remoteip|' "$ETC/application.yaml"
run 0 "orders were under way and are resolved" admin restore "$RUN/backup"
# A dump that breaks off in the middle leaves everything as it was.
cp -r "$RUN/backup" "$RUN/damaged"
head -c -10000 "$RUN/backup/store.dump" >"$RUN/damaged/store.dump"
run 3 "is damaged" admin restore "$RUN/damaged" --replace
(cd "$RUN/damaged" && sha256sum manifest rilvan.key store.dump >SHA256SUMS)
run 3 "the database and the key are as they were" admin restore "$RUN/damaged" --replace
run 0 "2 services" admin check
run 3 "with --replace what it has is dropped" admin restore "$RUN/backup"
run 0 "restored what was there" admin restore "$RUN/backup" --replace
run 0 "the key" admin check
give_to_service_user "$ETC" "$VAR"
start_installed

tell "Nobody is signed in any more, since what was ended later would be valid again. Passwords are those of the backup."
AS=anna run 4 "signed in too long ago" people me
run 0 "signed in" sign-in --server "https://127.0.0.1:$SERVICE_PORT" --user engineer --password-file "$RUN/engineer.password" --ca "$TLS/authority.pem"

tell "The proxy in front of this machine is believed where it says that a request comes from."
[ "$(curl -s -o /dev/null -w '%{http_code}' --cacert "$TLS/authority.pem" -H 'X-Forwarded-For: 203.0.113.9' -H 'Content-Type: application/json' -d '{"user":"bert","password":"not his sentence"}' "https://127.0.0.1:$SERVICE_PORT/api/v1/tokens")" = 401 ] ||
  failed "a wrong password was taken"
run 0 "203.0.113.9" log list --who bert

tell "The order that was under way at the backup is resolved, and what stands works."
wait_until "\(done\|rolled back\) .*ferries-quays" order list
run 0 "" order list
run 0 "pass" service check tidewater-clinics
run 0 "pass" service check kelp-works-wire

tell "The log of acts is whole as far as it goes; who has kept its heads elsewhere sees that the rest was lost."
wait_until "restore backup" log list
run 0 "whole" log verify
installed log export "$RUN/acts.jsonl"; installed log key >"$RUN/log.pem"
run 3 "not whole" log verify --export "$RUN/acts.jsonl" --heads "$RUN/heads-elsewhere.jsonl" --key "$RUN/log.pem"

tell "The service that was placed after the backup stands on its devices and is not known. Ordered again, it takes over what it finds there, and it works."
run 3 "there is no service" service check gannet-cold-stores
run 0 "all devices hold what was ordered" order run "$EXAMPLES/l3vpn/examples/gannet-cold-stores.yaml"

tell "An upgrade, just when an order is on its way: a backup, the service is asked to end, the new archive is unpacked beside the former one, and the service starts from there."
AS=anna run 0 "signed in" sign-in --server "https://127.0.0.1:$SERVICE_PORT" --user anna --password-file "$RUN/anna.password" --ca "$TLS/authority.pem"
run 0 "They belong together" admin backup "$RUN/before-upgrade"
run 0 "" lab slow haven-pe1 commit --seconds 6
AS=anna run 0 "" order run --no-follow "$EXAMPLES/l3vpn/examples/northsound-ferries.yaml"
wait_until " prepared " order list
stop_process "$INSTALLED"
unpack rilvan-2 "$THIS_ARCHIVE"
run 0 "the key" admin check
start_installed

tell "Nobody is signed out, the order goes on to its end, and what stood stands."
AS=anna run 0 "anna" people me
wait_until "\(done\|rolled back\) .*northsound" order list
run 0 "" order list
run 0 "pass" service check tidewater-clinics
run 0 "pass" service check gannet-cold-stores
run 0 "whole" log verify

say; strong "$STEP steps, each as told"
