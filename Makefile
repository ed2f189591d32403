# Two commands do everything: `make demo` and `make test`.
# Everything they write stays in this directory: bin, web/dist, web/node_modules, .demo, .test.

SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c
.DEFAULT_GOAL := help
GO ?= go

help: ## list the targets
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | awk -F ':.*## ' '{printf "  make %-12s %s\n", $$1, $$2}'

tools: ## install what is missing of Debian's packages
	@scripts/tools.sh mariadbd=mariadb-server-core mariadb=mariadb-client-core

test-tools: tools
	@scripts/tools.sh chromium-headless-shell=chromium-headless-shell gcc=gcc gcc=libc6-dev

web/node_modules/.complete: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

console: web/node_modules/.complete ## build the console into web/dist
	@cd web && npm run --silent build -- --logLevel warn

bin/wharf: FORCE
	@$(GO) build -trimpath -ldflags '-s -w' -o bin/wharf ./cmd/wharf

build: console ## build bin/wharf with the console in it
	@$(MAKE) --no-print-directory bin/wharf

demo: check-tools tools build ## run everything with the sample data; Ctrl-C stops it (LARGE=1: and 500 calendars)
	@$(GO) build -o bin/demo ./demo
	@WHARF_DEMO_LARGE=$(LARGE) exec bin/demo

generate: web/node_modules/.complete ## write anew what is generated from api/openapi.yaml
	cd api && $(GO) generate ./...
	cd web && npm run --silent generate

lint: web/node_modules/.complete ## check form and generated files
	@test -z "$$(gofmt -l $$(git ls-files '*.go' | grep -v '\.gen\.go$$'))" || { gofmt -l $$(git ls-files '*.go'); exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck -checks 'all,-ST1000,-ST1003,-ST1005,-ST1020,-ST1021,-ST1022' $$($(GO) list ./... | grep -vE 'wharf/api/(server|client)$$')
	cd web && npm run --silent check && npm run --silent lint
	@scripts/check-generated.sh

# What runs beside other goroutines is tested with the race detector. Core has none, and no variable that changes
# (internal/house), and end to end the service would be six times as slow: `make test-busy` does that.
RACED := ./service/... ./cli/... ./standin/... ./internal/...
PLAIN := $$($(GO) list ./... | grep -vE '^wharf/(service|cli|standin|internal|e2e)(/|$$)')
TESTRUN = $(GO) run ./internal/localdb/withdb .test $(GO) run ./internal/testrun

test: check-tools test-tools ## all tests: Go, console, form, Chromium; the ten slowest, and how many passed
	@mkdir -p .test
	@$(MAKE) --no-print-directory console lint
	cd web && npm run --silent test
	$(TESTRUN) -timeout 20m ./e2e -- -race -timeout 20m $(RACED) -- -timeout 20m $(PLAIN)

test-one: ## one test by its name, or a pattern of names, in seconds: make test-one T=TestGuard
	@test -n "$(T)" || { echo "Say which: make test-one T=TestGuard" >&2; exit 2; }
	@test -e web/dist/index.html || $(MAKE) --no-print-directory console
	@mkdir -p .test
	@packages=$$(grep -rlE --include='*_test.go' 'func ($(T))' . | grep -v '^./bench/' | xargs -r -n1 dirname | sort -u); \
	test -n "$$packages" || { echo "No test is called $(T)." >&2; exit 2; }; \
	WHARF_E2E_BINARIES=$(CURDIR)/.test/bin $(TESTRUN) -count=1 -run '^($(T))' $$packages

test-days: check-tools test-tools ## what depends on the date: 400 days without a browser, ten with one (about half an hour)
	@$(MAKE) --no-print-directory console
	@mkdir -p .test
	WHARF_DAYS=400 $(GO) run ./internal/testrun -count=1 -timeout 20m -run OnAnyDay -v ./standin ./demo
	$(GO) run ./internal/localdb/withdb .test $(GO) run ./e2e/days

test-busy: check-tools test-tools ## the tests end to end on a busy machine: twice beside two programs that take all of it, once more thoroughly with the race detector and a slow network (about an hour)
	@$(MAKE) --no-print-directory console
	@mkdir -p .test
	@trap 'kill $$(jobs -p) 2>/dev/null' EXIT; for n in 1 2; do (while :; do :; done) & done; \
	$(TESTRUN) -count=1 -timeout 60m ./e2e -- -count=1 -timeout 60m ./e2e
	WHARF_E2E_THOROUGH=1 WHARF_E2E_RACE=1 WHARF_E2E_SLOW_NETWORK=1 $(TESTRUN) -race -count=1 -timeout 60m ./e2e

bench: tools ## benchmarks: core beside general libraries, publications beside a bare handler, a refresh cycle, hostile feeds, two processes under mixed faults; the simulation with seeds of its own
	cd bench && $(GO) run ./reading
	cd bench && $(GO) test -run "^$$" -bench . -count 3
	cd bench && $(GO) run ./serving
	cd bench && $(GO) run ./cycle
	cd bench && $(GO) run ./hostile
	cd bench && $(GO) run ./soak
	$(GO) run ./sim/play

mutate: ## take the clauses of core/echo away one by one, and see which no case misses (about two minutes)
	$(GO) run ./internal/mutate

faults: check-tools test-tools ## try everything that is known to go wrong, with a line for each (about five minutes)
	@$(MAKE) --no-print-directory build
	@mkdir -p .test/faults
	@$(GO) run ./internal/localdb/withdb .test/faults $(GO) run ./e2e/faults

audit: web/node_modules/.complete ## known weaknesses of what we use; says so where the lists of them cannot be reached
	@scripts/audit.sh

FUZZTIME ?= 30s
fuzz: ## look for texts that core reads or lays out wrongly, for FUZZTIME each
	@for target in ical:FuzzRead rrule:FuzzRule zone:FuzzZone recur:FuzzExpand; do \
		$(GO) test -run '^$$' -fuzz "^$${target#*:}$$" -fuzztime $(FUZZTIME) ./core/$${target%%:*}; \
	done

screenshots: ## take docs/screenshots from the running demo
	@scripts/tools.sh chromium-headless-shell=chromium-headless-shell Xvfb=xvfb xterm=xterm import=imagemagick xdpyinfo=x11-utils
	$(GO) run ./demo/screenshots

clean: ## forget the demo's data and everything built
	rm -rf bin .demo .test web/node_modules
	find web/dist -mindepth 1 ! -name placeholder.txt -delete

check-tools:
	@scripts/check-tools.sh

FORCE:
.PHONY: help tools test-tools console build demo generate lint test test-days test-busy test-one bench mutate faults audit fuzz screenshots clean check-tools FORCE
