#!/usr/bin/env bash
# Speed and memory: parts of the core, the whole program against a plain copy, key to sound.
set -euo pipefail
cd "$(dirname "$0")/.."
go test -run '^$' -bench . -benchtime 2s ./core/... | grep -E '^(Benchmark|pkg)' || true
go run ./internal/bench
BENCH=1 npm run --silent e2e | grep -E 'key to sound|bench:'
