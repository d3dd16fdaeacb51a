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

# A survey of 200 whole domains: 200 records each, four doors with certificates, a registration. It is to stay below 100 MB.
mkdir -p many/stage/zones
soa='@ 3600 IN SOA ns1.host.example. h.host.example. 1 7200 3600 1209600 300'
{
  printf '$TTL 3600\n%s\n@ IN NS p.registry\np.registry IN A 198.51.100.50\nrdap.registry IN A 198.51.100.90\n' "$soa"
  printf 'host IN NS ns1.host\nns1.host IN A 198.51.100.51\nns2.host IN A 198.51.100.52\n'
  for i in $(seq 200); do printf 'd%s IN NS ns1.host\nd%s IN NS ns2.host\n' "$i" "$i"; done
} >many/stage/zones/example.zone
printf '$TTL 3600\n%s\n@ IN NS ns1\nns1 IN A 198.51.100.51\nns2 IN A 198.51.100.52\nmx IN A 198.51.100.77\n' "$soa" \
  >many/stage/zones/host.example.zone
for i in $(seq 200); do
  {
    printf '$TTL 3600\n%s\n@ IN NS ns1.host.example.\n@ IN NS ns2.host.example.\n@ IN A 192.0.2.10\nwww IN A 192.0.2.10\n' "$soa"
    printf '@ IN MX 10 mx.host.example.\n@ IN TXT "v=spf1 mx -all"\n_dmarc IN TXT "v=DMARC1; p=none"\n'
    for j in $(seq 200); do echo "h$j IN A 192.0.2.20"; done
  } >many/stage/zones/d$i.example.zone
done
{
  echo 'certificates:'
  for i in $(seq 200); do echo "  c$i: {names: [d$i.example, www.d$i.example]}"; done
  printf 'addresses:\n  192.0.2.10:\n    80: {answers: [{to: "https://www.n.example/{+rest}", path: "/{+rest}"}]}\n'
  echo "    443: {certificates: [$(seq -f 'c%g' -s ', ' 200)], answers: [{page: x}]}"
  printf 'name-servers:\n  198.51.100.50: {only: [example]}\n  198.51.100.51: {transfer: yes}\n  198.51.100.52: {transfer: yes}\n'
  printf 'registry:\n  address: 198.51.100.90\n  domains:\n'
  for i in $(seq 200); do echo "    d$i.example: {ends: 200d, status: [active], name-servers: [ns1.host.example, ns2.host.example]}"; done
} >many/stage/web.yaml
{
  printf 'canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\nregistry: {address: "http://rdap.registry.example"}\n'
  printf 'carriers: {g: {by: server, addresses: [203.0.113.20]}}\ndefaults: {carrier: g}\ndomains:\n'
  for i in $(seq 200); do echo "  - d$i.example"; done
} >many/upperpath.yaml
./upperpath stage many/stage >/dev/null &
players=$!
trap 'kill $player $players 2>/dev/null || true; rm -rf "$work"' EXIT
until [ -s many/stage/stage.yaml ]; do sleep 0.1; done
echo "survey of 200 domains with 41,800 records and 800 doors:"
for format in text json; do
  /usr/bin/time -f "  $format: %M KB at the peak, %e s" ./upperpath survey --estate many/upperpath.yaml --from many/stage/stage.yaml \
    --format $format --fail-on never >/dev/null 2>>many/log || true
done
tail -n 4 many/log | grep KB

# An estate that is as its plan wants it: so many domains on two name servers, all of whose doors redirect.
# settled DIR COUNT
settled() {
  mkdir -p "$1/stage/zones"
  {
    printf '$TTL 3600\n%s\n@ IN NS p.registry\np.registry IN A 198.51.100.50\nrdap.registry IN A 198.51.100.90\n' "$soa"
    printf 'www.n IN A 203.0.113.10\nhost IN NS ns1.host\nns1.host IN A 198.51.100.51\nns2.host IN A 198.51.100.52\n'
    for i in $(seq "$2"); do printf 'd%s IN NS ns1.host\nd%s IN NS ns2.host\n' "$i" "$i"; done
  } >"$1/stage/zones/example.zone"
  printf '$TTL 3600\n%s\n@ IN NS ns1\nns1 IN A 198.51.100.51\nns2 IN A 198.51.100.52\n' "$soa" >"$1/stage/zones/host.example.zone"
  for i in $(seq "$2"); do
    printf '$TTL 3600\n%s\n@ IN NS ns1.host.example.\n@ IN NS ns2.host.example.\n@ IN A 203.0.113.20\nwww IN A 203.0.113.20\n' \
      "$soa" >"$1/stage/zones/d$i.example.zone"
  done
  {
    printf 'certificates:\n  site: {names: [www.n.example]}\n'
    for i in $(seq "$2"); do echo "  c$i: {names: [d$i.example, www.d$i.example]}"; done
    local there='answers: [{to: "https://www.n.example/{+rest}", path: "/{+rest}"}]'
    printf 'addresses:\n  203.0.113.10:\n    443: {certificates: [site], answers: [{page: Museum}]}\n    80: {%s}\n' "$there"
    printf '  203.0.113.20:\n    80: {%s}\n    443: {certificates: [%s], %s}\n' "$there" "$(seq -f 'c%g' -s ', ' "$2")" "$there"
    printf 'name-servers:\n  198.51.100.50: {only: [example]}\n  198.51.100.51: {transfer: yes}\n  198.51.100.52: {transfer: yes}\n'
    printf 'registry:\n  address: 198.51.100.90\n  domains:\n'
    for i in $(seq "$2"); do
      echo "    d$i.example: {ends: 200d, status: [active], name-servers: [ns1.host.example, ns2.host.example]}"
    done
  } >"$1/stage/web.yaml"
  {
    printf 'canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\nregistry: {address: "http://rdap.registry.example"}\n'
    printf 'carriers: {g: {by: server, addresses: [203.0.113.20]}}\ndefaults: {carrier: g}\ndomains:\n'
    for i in $(seq "$2"); do echo "  - d$i.example"; done
  } >"$1/upperpath.yaml"
}

# play DIR
play() {
  ./upperpath stage "$1/stage" >/dev/null &
  players="$players $!"
  trap 'kill $player $players 2>/dev/null || true; rm -rf "$work"' EXIT
  until [ -s "$1/stage/stage.yaml" ]; do sleep 0.1; done
}

# A recheck is to take less than twice what survey and audit take.
settled forty 40
play forty
echo "survey, audit and recheck of 40 domains:"
for command in survey audit recheck; do
  /usr/bin/time -f "  $command: %e s, %M KB at the peak" ./upperpath $command --estate forty/upperpath.yaml \
    --from forty/stage/stage.yaml --forget >/dev/null 2>>forty/log || true
done
grep KB forty/log

# A wait for 1,000 names at three resolvers is to ask less than 200 questions a second, in 50 MB. It takes 80 s.
settled thousand 500
cp -r thousand second
cp -r thousand third
for stage in thousand second third; do play $stage; done
resolvers=$(sed -n 's/.*resolvers: *\["\([^"]*\)".*/"\1"/p' second/stage/stage.yaml third/stage/stage.yaml | paste -sd, -)
sed -i "s/^domains:/resolvers: [$resolvers]\ndomains:/" thousand/upperpath.yaml
echo "wait for 1,000 names at three resolvers (resolvers beside that of the stage: $resolvers):"
/usr/bin/time -f "  %e s, %M KB at the peak" ./upperpath await --estate thousand/upperpath.yaml \
  --from thousand/stage/stage.yaml --timeout 5m | grep 'are there'
