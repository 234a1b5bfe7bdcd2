#!/bin/sh
# How much there is of it: lines that are not blank, of a commit (by default the files as they stand), and the tests' share.
set -e
cd "$(dirname "$0")/.."
if [ -n "$1" ]; then
	dir=$(mktemp -d)
	trap 'rm -rf "$dir"' EXIT
	git archive "$1" | tar -x -C "$dir"
	cd "$dir"
fi
count() { find . -path ./node_modules -prune -o -path ./.git -prune -o -path '*/vendor/*' -prune -o -path '*/testdata/*' -prune \
	-o -type f "$@" -print | xargs cat 2>/dev/null | grep -c '[^[:space:]]' || true; }
go=$(count -name '*.go' ! -name '*_test.go')
templates=$(count -name '*.html' -path '*/templates/*')
scripts=$(count '(' -name '*.js' -o -name '*.mjs' -o -name '*.sh' ')' ! -path './e2e/*')
styles=$(count -name '*.scss')
tests=$(count '(' -name '*_test.go' -o -path './e2e/*.mjs' ')')
code=$((go + templates + scripts + styles))
echo "Go $go, templates $templates, scripts $scripts, styles $styles: $code; tests $tests, $((100 * tests / (tests + code))) %"
