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

while read -r line; do
  code=0
  $line || code=$?
  say "done $code"
done
