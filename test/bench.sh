#!/usr/bin/env bash
# Measures what no Go benchmark can: peak memory of a look over 100,000 URLs (by GNU time) and how fast the program starts.
# Both run on the demo's stage. Needs GNU time (Debian: time).
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
CGO_ENABLED=0 go build -trimpath -o "$work/upperpath" .
cd "$work"
./upperpath demo --dir museums >/dev/null
./upperpath stage museums/stage >/dev/null &
player=$!
trap 'kill $player 2>/dev/null || true; rm -rf "$work"' EXIT
until [ -s museums/stage/stage.yaml ]; do sleep 0.1; done
for i in $(seq 0 19999); do
  printf '%s\n' "http://www.northmoor.example/visit/$i?page=$i" "http://northmoor.example/old/$i" "https://www.northmoor-tickets.example/event/$i" \
    "http://slatequarry.example/tours/$i" "https://www.northmoor.example/missing/$i"
done >urls.txt
echo "look - over $(wc -l <urls.txt) URLs:"
for format in text json csv; do
  /usr/bin/time -f "  $format: %M KB at the peak, %e s" ./upperpath look - --from museums/stage/stage.yaml --format $format --fail-on never <urls.txt >/dev/null
done
echo "upperpath --help, ten times:"
/usr/bin/time -f "  %e s in all" bash -c 'for i in 1 2 3 4 5 6 7 8 9 10; do ./upperpath --help >/dev/null; done'
