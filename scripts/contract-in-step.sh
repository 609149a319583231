#!/usr/bin/env bash
# Fails when the types made from api/openapi.yaml are not those that are checked in.
set -euo pipefail
cd "$(dirname "$0")/.."
before=$(mktemp -d)
trap 'rm -rf "$before"' EXIT
files=(internal/httpapi/contract/contract.gen.go web/src/api/schema.ts)
for f in "${files[@]}"; do cp "$f" "$before/$(basename "$f")"; done
go generate ./internal/httpapi/contract
npm run --silent generate >/dev/null
for f in "${files[@]}"; do
	if ! cmp -s "$f" "$before/$(basename "$f")"; then
		echo "contract: $f was out of step with api/openapi.yaml; it has been made anew: commit it" >&2
		stale=1
	fi
done
[ -z "${stale:-}" ]
