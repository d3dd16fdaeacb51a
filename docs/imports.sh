#!/usr/bin/env bash
# Draws which packages of core import which, from go list, lowest first: each line names a package and what it reads.
# docs/ARCHITECTURE.md holds what this prints; internal/core/imports_test.go keeps it true.
set -euo pipefail
cd "$(dirname "$0")/.."
core=upperpath.example/upperpath/internal/core
go list -f '{{.ImportPath}} {{join .Imports " "}}' ./internal/core/... | awk -v core="$core/" '
  index($1, core) == 1 {
    name = substr($1, length(core) + 1); names[name]; reads[name] = ""
    for (i = 2; i <= NF; i++) if (index($i, core) == 1) reads[name] = reads[name] " " substr($i, length(core) + 1)
  }
  function level(n,    parts, count, i, top, l) {
    if (n in known) return known[n]
    count = split(reads[n], parts, " "); top = 0
    for (i = 1; i <= count; i++) { l = level(parts[i]) + 1; if (l > top) top = l }
    return known[n] = top
  }
  END {
    for (n in names) printf "%d %-9s%s\n", level(n), n, (reads[n] == "" ? "" : " →" reads[n])
  }' | sort -k1,1nr -k2,2 | awk '{ at = $1; sub(/^[0-9]+ /, ""); if (at != last) { if (NR > 1) print ""; last = at } print "    " $0 }'
