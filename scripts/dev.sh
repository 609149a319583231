#!/usr/bin/env bash
# Serves the demonstration, and begins it anew when Go code changes; the front end is loaded as it is typed.
set -euo pipefail
cd "$(dirname "$0")/.."
trap 'kill 0' EXIT
npx nodemon --quiet --watch cmd --watch core --watch internal --watch api --ext go,yaml,sql --signal SIGINT \
	--exec 'go build -o bin/zestyloom ./cmd/zestyloom && bin/zestyloom demo --log-level info' &
npm run --silent dev
