# One command starts the demo, one runs all tests; each does its own set-up.
export CGO_ENABLED = 0
GO ?= go
FUZZTIME ?= 1m
FOLDERS = cmd core golden shop store exchange draw web demo instrument jobs e2e scripts

.PHONY: demo serve build dev test quick check front gotest bench load mutate fuzz race cover audit e2e vendor styles paint screenshots release

demo: build
	./bin/pandrel demo

serve: build
	./bin/pandrel serve

build:
	$(GO) build -o bin/pandrel ./cmd/pandrel

# The sample workshop, built anew and reloaded whenever a file changes.
dev:
	$(GO) run ./scripts/dev

test: check gotest front e2e

# What changed since the last commit (or BASE), in less than a minute.
quick:
	scripts/quick.sh

# What a reader would stumble over: format, width, sizes, arrows, and what the analysers find.
check:
	@test -z "$$(gofmt -l $(FOLDERS) *.go)" || { echo "not gofmt'd:"; gofmt -l $(FOLDERS) *.go; exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	$(GO) test .

# The same for scripts and styles, and whether what is served was built from them.
front:
	scripts/setup-e2e.sh
	npx prettier --check --log-level warn 'e2e/*.mjs' 'scripts/*.mjs' 'web/static/*.js' 'web/static/js/*.js' 'web/styles/*.scss'
	node scripts/styles.mjs --check

# Benchmarks run once each, so that they cannot rot.
gotest:
	$(GO) test ./...
	$(GO) test -run '^$$' -bench . -benchtime 1x ./... | grep -v 'no test files'

bench:
	$(GO) test -run '^$$' -bench . -benchtime 2s ./...

# What the program holds, driven from outside: traffic, clients that stall, hostile files, and being killed while it
# writes. For a quarter of an hour on a quiet machine.
load: build
	$(GO) run ./scripts/load

# Do the tests notice slips? A sample of them, one at a time; SEED draws the same ones again.
SEED ?= $(shell date +%j%H%M)
SLIPS ?= 60
AREAS ?= core
mutate:
	$(GO) run ./scripts/mutate -seed $(SEED) -n $(SLIPS) $(AREAS)

# Each fuzz target for a minute.
fuzz:
	@set -e; for dir in $$(grep -rl --include='*_test.go' '^func Fuzz' $(FOLDERS) | xargs -n1 dirname | sort -u); do \
	  for f in $$(grep -ho '^func Fuzz[A-Za-z0-9]*' $$dir/*_test.go | cut -d' ' -f2 | sort -u); do \
	    echo "$$dir $$f"; $(GO) test -run '^$$' -fuzz "^$$f\$$" -fuzztime $(FUZZTIME) ./$$dir; \
	  done; done

race:
	@command -v $${CC:-cc} >/dev/null || { echo "make race needs a C compiler (cc, or CC=…): the detector is written in C. On Debian: apt-get install gcc."; exit 1; }
	CGO_ENABLED=1 $(GO) test -race ./...

cover:
	@mkdir -p bin
	$(GO) test -coverpkg=./core/...,./shop/...,./store/...,./exchange/...,./draw/...,./web/... -coverprofile bin/cover.out ./...
	$(GO) tool cover -func bin/cover.out | tail -1
	$(GO) tool cover -html bin/cover.out -o bin/cover.html
	@echo "line by line: bin/cover.html"

# Known holes in what is built on. Where the lists cannot be reached it says so, and that is no answer.
audit:
	@$(GO) tool govulncheck ./... || echo "Go: the list of known holes was not read, or holes were found: see above."
	@npm audit --package-lock-only || echo "npm: the list of known holes was not read, or holes were found: see above."

e2e: build
	scripts/setup-e2e.sh
	npx playwright test -c e2e/playwright.config.mjs

vendor:
	npm ci
	node scripts/vendor.mjs
	node scripts/styles.mjs

styles:
	scripts/setup-e2e.sh
	node scripts/styles.mjs

# What a hand feels in the browser: from a key to the painted answer, first paint, longest task.
paint: build
	scripts/setup-e2e.sh
	node e2e/paint.mjs

screenshots: build
	scripts/setup-e2e.sh
	node e2e/screenshots.mjs

# Static programs for the machines of workshops, named by version.
VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo unknown)
TARGETS = linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64
release:
	@mkdir -p bin/release
	@set -e; for t in $(TARGETS); do os=$${t%/*}; arch=$${t#*/}; ext=; [ $$os = windows ] && ext=.exe; \
	  out=bin/release/pandrel-$(VERSION)-$$os-$$arch$$ext; \
	  GOOS=$$os GOARCH=$$arch $(GO) build -trimpath -ldflags '-s -w -X main.release=$(VERSION)' -o $$out ./cmd/pandrel; \
	  echo $$out; done
	@cd bin/release && sha256sum pandrel-$(VERSION)-* > pandrel-$(VERSION).sha256
