#!/usr/bin/env bash
# Runs every fuzz target of the project for so long, or so many inputs: scripts/fuzz.sh 1m, scripts/fuzz.sh 10000x.
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p bin
found=0
while IFS=: read -r file target; do
	found=$((found + 1))
	go test -run '^$' -fuzz "^$target\$" -fuzztime "$1" "./$(dirname "$file")" >bin/fuzz.log 2>&1 || { cat bin/fuzz.log; exit 1; }
	echo "$target:$(dirname "$file") $(tail -n 1 bin/fuzz.log)"
done < <(git grep -oE 'func Fuzz[A-Za-z0-9]+' -- '*_test.go' | sed 's/:func /:/')
echo "$found targets"
