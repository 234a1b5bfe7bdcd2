#!/bin/sh
# The inner loop: format, vet and tests of the packages that differ from a commit (BASE, by default the last one), and
# the rules of the house. Not a substitute for 'make test': whoever imports what changed is not asked.
set -e
cd "$(dirname "$0")/.."
base=${BASE:-HEAD}
changed=$( (git diff --name-only --diff-filter=d "$base"; git ls-files --others --exclude-standard) | sort -u)
files=$(printf '%s\n' "$changed" | grep '\.go$' || true)
if [ -n "$files" ]; then
	bad=$(printf '%s\n' "$files" | xargs gofmt -l)
	[ -z "$bad" ] || { echo "not gofmt'd:"; echo "$bad"; exit 1; }
fi
# The nearest folder above each changed file that holds a package: goldens lie in testdata, pages beside web.
packages=$(printf '%s\n' "$changed" | while read -r f; do
	[ -n "$f" ] || continue
	dir=$(dirname "$f")
	while [ "$dir" != . ] && ! ls "$dir"/*.go >/dev/null 2>&1; do dir=$(dirname "$dir"); done
	echo "./$dir"
	case $dir in shop/* | web/*) echo "./${dir%%/*}" ;; esac # where the tests of its rooms are
done | sort -u | grep -v '^\./\.$' || true)
[ -z "$packages" ] || go vet $packages
go test $packages .
scripts=$(printf '%s\n' "$changed" | grep -E '\.(mjs|js|scss)$' | grep -v vendor || true)
if [ -n "$scripts" ] && [ -d node_modules ]; then
	printf '%s\n' "$scripts" | xargs npx prettier --check --log-level warn
fi
