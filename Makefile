# One command starts the demo, one runs all tests; each does its own set-up.
export CGO_ENABLED = 0
GO ?= go

.PHONY: demo serve build test check gotest bench e2e vendor screenshots

demo: build
	./bin/pandrel demo

serve: build
	./bin/pandrel serve

build:
	$(GO) build -o bin/pandrel ./cmd/pandrel

test: check gotest e2e

check:
	@test -z "$$(gofmt -l cmd core shop store exchange draw web demo instrument e2e *.go)" || { echo "not gofmt'd:"; gofmt -l cmd core shop store exchange draw web demo instrument e2e *.go; exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck ./...

# Benchmarks run once each, so that they cannot rot.
gotest:
	$(GO) test ./...
	$(GO) test -run '^$$' -bench . -benchtime 1x ./... | grep -v 'no test files'

bench:
	$(GO) test -run '^$$' -bench . -benchtime 2s ./...

e2e: build
	scripts/setup-e2e.sh
	npx playwright test -c e2e/playwright.config.mjs

vendor:
	npm ci
	node scripts/vendor.mjs

screenshots: build
	scripts/setup-e2e.sh
	node e2e/screenshots.mjs
