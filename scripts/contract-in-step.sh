#!/usr/bin/env bash
# Fails when the Go types made from api/openapi.yaml are not those that are checked in.
set -euo pipefail
cd "$(dirname "$0")/.."
made=internal/httpapi/contract/contract.gen.go
before=$(mktemp)
trap 'rm -f "$before"' EXIT
cp "$made" "$before"
go generate ./internal/httpapi/contract
if ! cmp -s "$made" "$before"; then
	echo "contract: $made was out of step with api/openapi.yaml; it has been made anew: commit it" >&2
	exit 1
fi
