#!/usr/bin/env bash
# Fetches the third-party files again, at the versions of versions.txt, from their npm packages.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
root=$(cd "$here/../../../.." && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
while read -r name version _; do
  folder=$work/$(basename "$name")
  mkdir -p "$folder"
  (cd "$work" && tarball=$(npm pack --silent "$name@$version") && tar xzf "$tarball" -C "$folder" --strip-components=1)
done <"$here/versions.txt"
cp "$work/bootstrap/dist/css/bootstrap.min.css" "$work/bootstrap/LICENSE" "$here/bootstrap/"
cp "$work/csp/dist/cdn.min.js" "$here/alpine/alpine-csp.min.js"
cp "$work"/fraunces/files/fraunces-latin-{500,600}-normal.woff2 "$here/fonts/"
cp "$work/fraunces/LICENSE" "$here/fonts/LICENSE-fraunces"
cp "$work"/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-{400,600,700}-normal.woff2 "$here/fonts/"
cp "$work/atkinson-hyperlegible-next/LICENSE" "$here/fonts/LICENSE-atkinson"
cp "$work/axe-core/axe.min.js" "$work/axe-core/LICENSE" "$work/axe-core/LICENSE-3RD-PARTY.txt" "$root/tests/e2e/vendor/"
echo "· vendor files are those of versions.txt"
