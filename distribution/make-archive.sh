#!/usr/bin/env bash
# Puts together what is installed: target/rilvan-VERSION.tar.gz, whose folder has a list of checksums. The same sources give the same archive.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
VERSION=$1
OUT=target/rilvan-$VERSION
ROOT=..
rm -rf "$OUT" "$OUT.tar.gz"
mkdir -p "$OUT/lib"
java -Djarmode=tools -jar "$ROOT/server/target/rilvan-server-$VERSION.jar" extract --destination "$OUT/lib/server" >/dev/null
mv "$OUT/lib/server/rilvan-server-$VERSION.jar" "$OUT/lib/server/server.jar"
cp "$ROOT/cli/target/rilvan-cli-$VERSION-all.jar" "$OUT/lib/cli.jar"
cp "$ROOT/kit/target/rilvan-kit-$VERSION-all.jar" "$OUT/lib/kit.jar"
cp lib/*.sh "$OUT/lib/"
cp -r bin conf README.md "$OUT/"
cp "$ROOT/CHANGELOG.md" "$OUT/"
cp -r "$ROOT/docs" "$ROOT/models" "$OUT/"
rm -rf "$OUT/docs/screenshots"
java -cp "$OUT/lib/cli.jar" rilvan.cli.Rilvan manual "$OUT/share/man/man1" >/dev/null
gzip -n -6 "$OUT"/share/man/man1/*
{
  printf '# What others have made, and its licences\n\n## In the service, the command line and the kit\n\n'
  sed -n 's/^ *(\(.*\)$/- (\1/p' target/java-licences.txt
  printf '\n## In the console\n\n'
  cat "$ROOT/console/target/classes/static/licences.md"
} >"$OUT/LICENCES.md"
printf '%s\n' "$VERSION" >"$OUT/VERSION"
(cd "$OUT" && find . -type f ! -name SHA256SUMS -print0 | LC_ALL=C sort -z | xargs -0 sha256sum >SHA256SUMS)
chmod -R u+rwX,go+rX,go-w "$OUT"
tar -C target --sort=name --owner=0 --group=0 --numeric-owner --mtime=@0 -c "rilvan-$VERSION" | gzip -n -6 >"$OUT.tar.gz"
rm -rf "$OUT"
