#!/usr/bin/env bash
# Fuzzes every reader and every writer for a while each: FUZZTIME (default 1m), ONLY (a pattern of names). What is found is
# kept by Go as a seed in testdata/fuzz, which every test run reads from then on.
set -euo pipefail
cd "$(dirname "$0")/.."
found=0
for package in $(go list ./...); do
  folder=$(go list -f '{{.Dir}}' "$package")
  for name in $(sed -n 's/^func \(Fuzz[A-Za-z0-9_]*\)(.*/\1/p' "$folder"/*_test.go 2>/dev/null | grep -E "${ONLY:-.}" || true); do
    echo "$package $name"
    go test "$package" -run '^$' -fuzz "^$name\$" -fuzztime "${FUZZTIME:-1m}" >/tmp/fuzz.$$ 2>&1 || {
      found=1
      tail -30 /tmp/fuzz.$$
    }
  done
done
rm -f /tmp/fuzz.$$
exit $found
