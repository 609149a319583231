# Two commands do everything: make demo, make test. The rest are their parts.
SHELL := bash
.SHELLFLAGS := -euo pipefail -c
BIN := bin/zestyloom
WEB := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts package.json

.PHONY: demo dev build test test-go test-all test-long test-web test-e2e lint bench chaos fuzz screenshots generate clean
.DELETE_ON_ERROR:

demo: ## serve the application with Lantern Ferry (PORT=8080, RESET=1 to begin again)
	@scripts/setup.sh demo
	@$(MAKE) --no-print-directory build
	@exec $(BIN) demo $(if $(RESET),--reset)

dev: ## serve the demonstration and load every change of Go or TypeScript at once, at http://localhost:5173
	@scripts/setup.sh demo
	@$(MAKE) --no-print-directory build
	@scripts/dev.sh

build: web/dist/index.html ## the program, front end embedded, at bin/zestyloom
	@go build -o $(BIN) ./cmd/zestyloom

node_modules/.installed: package.json package-lock.json
	@# Not npm ci: it insists on packages for platforms that a registry may not carry.
	@npm install --no-save --no-audit --no-fund --loglevel=error
	@touch $@

# The contract's types are made, not kept: they can't be out of step.
web/src/api/schema.ts: api/openapi.yaml node_modules/.installed
	@npm run --silent generate >/dev/null

web/dist/index.html: node_modules/.installed web/src/api/schema.ts $(WEB)
	@npm run --silent build -- --logLevel warn
	@touch $@

test: ## what every step of work waits for: Go, front end, browser
	@scripts/setup.sh test
	@$(MAKE) --no-print-directory test-go test-web test-e2e

test-go: web/dist/index.html
	@go test -short -vet=off ./... # make lint vets

# Every fuzz target there is, by count and not by time: go test calls it a failure when its own deadline falls into a run.
FUZZTIME := $(if $(MINUTES),$(MINUTES)m,10000x)

fuzz: web/dist/index.html ## bytes from an enemy for every reader, 10,000 each or MINUTES=1; what is found is kept below testdata/
	@scripts/fuzz.sh $(FUZZTIME)

chaos: build ## kill what the application is made of at random moments (ROUNDS=20 SEED=... CLOCK=1), and look what is missing
	@scripts/setup.sh test
	@go run ./internal/chaos -rounds $(or $(ROUNDS),20) $(if $(SEED),-seed $(SEED)) $(if $(CLOCK),-clock) $(BIN)

# Of the slowest packages with goroutines what goes through them; those of cli and demo are app's and jobs'.
SLOW_ROOMS := align|delivery|loudness|mix|readings|cli|demo|httpapi

test-all: web/dist/index.html ## what make test leaves out before a change lands: the race detector, fuzzing, all stories
	@scripts/setup.sh test
	@go test -race -short -vet=off -timeout 40m $$(scripts/concurrent.sh | grep -Ev '/($(SLOW_ROOMS))$$')
	@go test -race -short -vet=off -timeout 20m ./core/mix -run 'TestAClipAlone|TestTreatedSignals|TestMovingTreatments|TestAStereoTotal|TestFilesAreOpenedOnce'
	@go test -race -short -vet=off -timeout 20m ./core/align -run 'TestFarApart'
	@go test -race -short -vet=off -timeout 20m ./core/loudness ./core/readings -run 'TestPairsAndWeights|TestBusMeters'
	@go test -race -short -vet=off -timeout 20m ./core/delivery -run 'TestBlack|TestACutDownAsMP4'
	@go test -race -short -vet=off -timeout 20m ./internal/httpapi -run 'Event|Upload|Listen|Sound|Line|Bodies|Undo'
	@$(MAKE) --no-print-directory fuzz
	@STORIES=all $(MAKE) --no-print-directory test-e2e
	@STORIES=alone $(MAKE) --no-print-directory test-e2e

test-long: web/dist/index.html ## every test at its full size, and random recordings by the hundred: about an hour
	@scripts/setup.sh test
	@LONG_TESTS=1 go test -timeout 120m ./...

test-web: node_modules/.installed web/src/api/schema.ts
	@npm run --silent test

test-e2e: build
	@npm run --silent e2e

lint: node_modules/.installed web/dist/index.html ## formatting, vet, staticcheck, Biome, types, contract in step
	@unformatted=$$(gofmt -l api cmd core internal web/*.go); [ -z "$$unformatted" ] || { echo "gofmt: $$unformatted"; exit 1; }
	@go vet ./...
	@go tool staticcheck ./...
	@npm run --silent lint
	@npm run --silent types
	@npm run --silent contract
	@scripts/contract-in-step.sh

generate: web/src/api/schema.ts ## Go and TypeScript types from api/openapi.yaml
	@go generate ./internal/httpapi/contract

bench: build ## speed and memory, as ratios measured in the same run
	@scripts/setup.sh test
	@scripts/bench.sh

screenshots: build ## docs/screenshots from the demonstration
	@scripts/setup.sh test
	@SCREENSHOTS=1 npm run --silent e2e

clean:
	rm -rf bin web/dist/assets web/dist/index.html
