#!/usr/bin/env bash
# Prints the packages with goroutines, locks or atomic values: those that the race detector has something to say of.
set -euo pipefail
cd "$(dirname "$0")/.."
git grep -lE '^[[:space:]]*go (func|[a-zA-Z.]+\()|\.Go\(|sync\.[A-Z]|atomic\.' -- 'core/*.go' 'internal/*.go' | xargs -n 1 dirname | sort -u | while read -r dir; do
	if compgen -G "$dir/*_test.go" >/dev/null; then echo "./$dir"; fi
done
