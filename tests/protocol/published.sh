#!/usr/bin/env bash
# Holds elm-lantern serve to the protocol's published types, and lets its published test client drive it. Both come
# from npm and stay in the build folder.
# Usage: published.sh SOURCE_FOLDER BUILD_FOLDER   exits with 77, loudly, where they cannot be had.
set -euo pipefail
source_folder=$1 build=$(cd "$2" && pwd)
here=$source_folder/tests/protocol work=$build/protocol-check
skip() { printf '\n****  %s: the check against the published protocol is SKIPPED  ****\n\n' "$*"; exit 77; }
command -v node > /dev/null && command -v npm > /dev/null || skip "node and npm are not here"
mkdir -p "$work"
if ! cmp -s "$here/package.json" "$work/package.json" || [ ! -s "$work/schema.json" ]; then
    rm -rf "$work/node_modules" "$work/schema.json"
    cp "$here/package.json" "$work/"
    (cd "$work" && npm install --no-audit --no-fund --fetch-retries 1 > npm.log 2>&1) || { rm -f "$work/package.json"; skip "npm cannot fetch them (see $work/npm.log)"; }
    (cd "$work" && npx ts-json-schema-generator --path node_modules/@vscode/debugprotocol/lib/debugProtocol.d.ts \
        --type '*' --no-type-check -o schema.json >> npm.log 2>&1)
fi
cp "$here/published.mjs" "$work/"
cd "$work"
# What our own client has heard is checked too, where it has run before.
exec node published.mjs "$source_folder" "$build" "$build/protocol-heard.jsonl"
