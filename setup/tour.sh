#!/usr/bin/env bash
# The story of the demo without a person: each step is announced, run, and must end as announced.
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/parts.sh"
RUN=$BUILD/tour
EXAMPLES=$ROOT/models/services/l3vpn/examples
. "$ROOT/setup/story.sh"

EDGES="haven-pe1 ternsay-pe1 olvar-pe1 skarn-pe1"
# keep NAME: what the provider edges hold now, byte for byte.
keep() { local device; for device in $EDGES; do rilvan lab running $device >"$RUN/$1-$device.xml"; done; }
same() { # NAME NAME
  local device
  for device in $EDGES; do
    cmp -s "$RUN/$1-$device.xml" "$RUN/$2-$device.xml" || { diff "$RUN/$1-$device.xml" "$RUN/$2-$device.xml" || true; failed "$device has another configuration than $1"; }
    say "$device has, byte for byte, the configuration that it had ${1//-/ }"
  done
}

ensure_packages
build
[ ! -e "$RUN/store/postmaster.pid" ] || as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" -m immediate stop >/dev/null 2>&1 || true
rm -rf "$RUN"
trap stop_all EXIT
trap 'exit 130' INT TERM
start_all
keep at-the-start

tell "Tidewater Clinics have a house on Haven and one on Ternsay. Their routers cannot reach each other."
run 1 "no answer" lab ping haven-ce1 198.51.100.65

tell "A layer 3 VPN is to join them. The preview shows every line on every device, and touches none."
run 0 "Both devices change with a confirmed commit" order preview "$EXAMPLES/tidewater-clinics.yaml"
keep after-the-preview
same at-the-start after-the-preview

tell "The order is run: a confirmed commit on both routers, the checks of the service, then both commits are confirmed."
run 0 "end to end" order run "$EXAMPLES/tidewater-clinics.yaml"

tell "Now they reach each other."
run 0 ": answered" lab ping haven-ce1 198.51.100.65
keep with-the-clinics

tell "The same order again changes nothing."
run 0 "no change" order run "$EXAMPLES/tidewater-clinics.yaml"

tell "Gannet Cold Stores want a VPN too, but the router on Ternsay is going to refuse the commit."
run 0 "will refuse" lab refuse ternsay-pe1 commit --message "no room in the forwarding table"
run 1 "ternsay-pe1 refused the confirmed commit: no room in the forwarding table" order run "$EXAMPLES/gannet-cold-stores.yaml"

tell "Neither router holds anything of it."
keep after-the-refusal
same with-the-clinics after-the-refusal

tell "Once more; this time the router on Ternsay is lost during its commit, for five seconds. The order waits for it, reads it, and is rolled back."
run 0 "will be unreachable" lab lose ternsay-pe1 commit --seconds 5
run 1 "ternsay-pe1 was lost during confirmed commit" order run "$EXAMPLES/gannet-cold-stores.yaml"
keep after-the-loss
same with-the-clinics after-the-loss

tell "Somebody mistypes the tag. Both routers accept the change, but nothing gets through: the checks fail and the order is rolled back."
sed 's/tag: 120/tag: 121/' "$EXAMPLES/gannet-cold-stores.yaml" >"$RUN/mistyped.yaml"
run 1 "the service does not work" order run "$RUN/mistyped.yaml"
keep after-the-mistake
same with-the-clinics after-the-mistake

tell "And once more; Rilvan itself is killed while the routers hold the change. The next process takes over the order by itself."
number=$(rilvan order run --no-follow "$RUN/mistyped.yaml" | grep -o '[0-9]*$')
say "\$ ./rilvan order run --no-follow ${RUN#"$ROOT"/}/mistyped.yaml        # its checks take a while"
say "order $number"
until rilvan order show "$number" --json | grep -q PREPARED; do :; done
say "kill -9 of the service, with order $number under way"
kill -9 "$SERVICE_PID"; wait "$SERVICE_PID" 2>/dev/null || true
start_service
say "the service is started again"
run 1 "Rilvan was interrupted" order follow "$number"
keep after-the-kill
same with-the-clinics after-the-kill

tell "The clinics open houses on two more islands, where the routers are of other families: one has no candidate, one has only a command line."
run 0 "checks reach: 24 passed (end to end)" order run "$EXAMPLES/tidewater-four-islands.yaml"

tell "Rilvan explains every managed line: which service put it there, and why."
run 0 "from site Skarn" device explain skarn-pe1 "limit 50000"

tell "The clinics' VPN is removed."
run 0 "all devices hold what was ordered" service remove tidewater-clinics --reason "the tour is over"
run 1 "no answer" lab ping haven-ce1 198.51.100.65

tell "It leaves no trace."
keep at-the-end
same at-the-start at-the-end

say; strong "The tour is over: $STEP steps, each as told."
