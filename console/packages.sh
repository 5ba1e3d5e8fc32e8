#!/usr/bin/env bash
# Fetches the console's packages, only when their lock has changed.
set -euo pipefail
mark=node_modules/.fetched
[ -e "$mark" ] && cmp -s package-lock.json "$mark" && exit 0
npm ci --no-audit --no-fund
cp package-lock.json "$mark"
