#!/usr/bin/env bash
# Builds a newer Caddy than Debian's from the module registry, where that is reachable, and has the tests of written and read
# configurations use it. usage: test/newer-caddy.sh [VERSION]
set -euo pipefail
cd "$(dirname "$0")/.."
version=${1:-v2.8.4}
bin=$(mktemp -d)
trap 'rm -rf "$bin"' EXIT
if ! GOBIN="$bin" GOFLAGS=-mod=mod go install -ldflags "-X github.com/caddyserver/caddy/v2.CustomVersion=$version" \
  "github.com/caddyserver/caddy/v2/cmd/caddy@$version"; then
  echo "a newer Caddy: SKIPPED, $version does not build here"
  exit 0
fi
"$bin/caddy" version
PATH="$bin:$PATH" go test -count=1 ./test/peers -run 'Servers|Corpus|BesideRules|Rehearsal|RealServer' "${@:2}"
