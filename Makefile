# Two commands do everything: make demo, make test. The rest are their parts.
SHELL := bash
.SHELLFLAGS := -euo pipefail -c
BIN := bin/zestyloom
WEB := $(shell find web/src web/public -type f) web/index.html web/vite.config.ts package.json

.PHONY: demo build test test-go test-long test-race test-web test-e2e lint bench chaos fuzz screenshots generate clean
.DELETE_ON_ERROR:

demo: ## serve the application with Lantern Ferry (PORT=8080, RESET=1 to begin again)
	@scripts/setup.sh demo
	@$(MAKE) --no-print-directory build
	@exec $(BIN) demo $(if $(RESET),--reset)

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

test: ## everything: Go, front end, browser
	@scripts/setup.sh test
	@$(MAKE) --no-print-directory test-go test-web test-e2e

test-go: web/dist/index.html
	@mkdir -p bin
	@go test ./...
	@# By count, not by time: go test calls it a failure when its own deadline falls into a run.
	@$(MAKE) --no-print-directory fuzz FUZZTIME=10000x

# Every reader of bytes from outside.
FUZZ := FuzzRead:core/columns FuzzRead:core/wave FuzzParseIXML:core/wave FuzzParseBext:core/wave FuzzParseDescription:core/wave FuzzRead:core/aiff FuzzNext:core/flac \
	FuzzOpen:core/source FuzzParseName:core/source FuzzParse:core/picture FuzzMXFRate:core/picture FuzzHeadset:core/picture FuzzClean:core/naming FuzzParseSpec:core/delivery FuzzRead:core/mhl FuzzRead:core/report FuzzRead:core/attest FuzzUpload:internal/media
FUZZTIME := $(or $(MINUTES),1)m

fuzz: web/dist/index.html ## bytes from an enemy for every reader, MINUTES=1 each; what is found is kept below testdata/
	@mkdir -p bin
	@for f in $(FUZZ); do \
		go test -run '^$$' -fuzz "^$${f%%:*}$$" -fuzztime $(FUZZTIME) "./$${f##*:}" > bin/fuzz.log 2>&1 || { cat bin/fuzz.log; exit 1; }; \
		echo "$$f $$(tail -n 1 bin/fuzz.log)"; done

chaos: build ## kill what the application is made of at random moments (ROUNDS=20 SEED=... CLOCK=1), and look what is missing
	@scripts/setup.sh test
	@go run ./internal/chaos -rounds $(or $(ROUNDS),20) $(if $(SEED),-seed $(SEED)) $(if $(CLOCK),-clock) $(BIN)

test-long: ## three hundred random mixes, strangers and near misses each, fifty measured programmes: about twenty minutes
	@scripts/setup.sh test
	@LONG_TESTS=1 go test ./core/survey ./core/loudness -run 'Random|Programmes' -timeout 90m -v

# Of the slowest rooms of core that start goroutines what goes through them; meter, picture, reel and treat start none.
SLOW_ROOMS := align|delivery|loudness|meter|mix|picture|readings|reel|survey|treat

test-race: web/dist/index.html ## with the race detector: core, store and application; about a quarter of an hour
	@scripts/setup.sh test
	@go test -race -timeout 40m $$(go list ./core/... | grep -Ev '/core/($(SLOW_ROOMS))$$') ./internal/store ./internal/app
	@go test -race -timeout 20m ./core/mix -run 'TestAClipAlone|TestTreatedSignals|TestMovingTreatments|TestAStereoTotal|TestFilesAreOpenedOnce'
	@go test -race -timeout 20m ./core/align -run 'TestFarApart'
	@go test -race -timeout 20m ./core/survey ./core/loudness ./core/readings -run 'TestMixOfTheOthers|TestPairsAndWeights|TestBusMeters'
	@go test -race -timeout 20m ./core/delivery -run 'TestBlack|TestACutDownAsMP4'

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
