#!/usr/bin/env bash
# Measures following old URLs on a local nginx, beside a general client (curl) that follows the same lists, in the same
# run: chains of two distinct hops on 32 hosts; many old URLs on few pages over TLS; and whether an audit of old URLs is
# linear, with its peak of memory. Needs nginx, curl, openssl and GNU time (Debian: nginx curl openssl time).
# usage: oldurls.sh [MILLION]     MILLION is how long the longest list is (1000000)
set -euo pipefail
cd "$(dirname "$0")/.."
PATH="$PATH:/usr/sbin"
million=${1:-1000000}
for program in nginx curl openssl /usr/bin/time; do
  command -v $program >/dev/null || { echo "old URLs on a local nginx: SKIPPED, $program is not on this machine"; exit 0; }
done
work=$(mktemp -d); chmod 755 "$work"
trap 'kill $(jobs -p) 2>/dev/null || true; wait 2>/dev/null || true; rm -rf "$work"' EXIT
CGO_ENABLED=0 go build -trimpath -o "$work/upperpath" .
cd "$work"
openssl req -x509 -newkey ec -pkeyopt ec_paramgen_curve:P-256 -nodes -keyout key.pem -out cert.pem -days 30 -subj /CN=www.n.example \
  -addext subjectAltName=DNS:www.n.example 2>/dev/null
mkdir -p pages/p
awk 'BEGIN { print "<!doctype html><title>Opening hours</title><h1>Hours</h1>"; for (i = 0; i < 1400; i++) print "<p>Open from ten to five.</p>" }' >page
for i in $(seq 0 9999); do echo "pages/p/$i"; done | xargs -n 1000 sh -c 'for f do { cat page; echo "<a href=/${f#pages/}>Here</a>"; } >"$f"; done' sh
cat >nginx.conf <<CONF
worker_processes 2; daemon off; pid $work/nginx.pid; error_log $work/error.log;
events { worker_connections 4096; }
http { access_log off; keepalive_requests 1000000; default_type text/html;
  server { listen 127.0.0.1:18490 backlog=4096;
    location /two/ { rewrite ^/two/(.*)\$ http://\$host/new/\$1 permanent; }
    location /old/ { rewrite "^/old/[0-9]*?([0-9]{1,4})\$" https://www.n.example/p/\$1 permanent; }
    location /few/ { rewrite "^/few/[0-9]*?([0-9]{1,2})\$" https://www.n.example/p/\$1 permanent; }
    location /new/ { return 200 "<!doctype html><title>Page</title><h1>Page</h1><p>Some words."; } }
  server { listen 127.0.0.1:18491 ssl backlog=4096; ssl_certificate $work/cert.pem; ssl_certificate_key $work/key.pem; root $work/pages; } }
CONF
nginx -t -c "$work/nginx.conf" 2>/dev/null || { echo "nginx cannot listen on 127.0.0.1:18490 and 18491"; exit 1; }
nginx -c "$work/nginx.conf" 2>/dev/null &
until [ -s nginx.pid ] && curl -s -o /dev/null http://127.0.0.1:18490/new/x; do sleep 0.1; done
points=(--point www.n.example:443=127.0.0.1:18491 --trust cert.pem)
connect=(--connect-to www.n.example:443:127.0.0.1:18491 --cacert cert.pem)
for i in $(seq 0 31); do
  points+=(--point "h$i.example:80=127.0.0.1:18490")
  connect+=(--connect-to "h$i.example:80:127.0.0.1:18490")
done
list() { awk -v n="$2" -v path="$1" 'BEGIN { for (i = 0; i < n; i++) printf "http://h%d.example/%s/%d\n", i % 32, path, i }'; }
seconds() { local TIMEFORMAT=%R; { time "$@" >out 2>err; } 2>&1 | tail -n 1; }
curled() { sed 's/.*/url = "&"\noutput = "\/dev\/null"/' <"$1" >urls.cfg; seconds curl -s -Z --parallel-max 64 -L "${connect[@]}" -K urls.cfg; }
looked() { seconds sh -c 'list=$1; shift; exec ./upperpath look - --parallel 64 --per-host 64 --format json --fail-on never "$@" <"$list"' sh \
  "$1" "${points[@]}"; }

list two 100000 >two
echo "100,000 old URLs, two distinct hops each, on 32 hosts: curl (64 at a time) and look - --format json, in turn:"
for _ in 1 2 3 4 5; do
  a=$(curled two); b=$(looked two)
  awk -v a="$a" -v b="$b" 'BEGIN { printf "%.2f %.1f %.1f\n", a / b, a, b }'
done | sort -n | awk '{ r[NR] = $1; a[NR] = $2; b[NR] = $3 } END {
  printf "  %.2f times as fast (%.2f to %.2f; in the median run %.1f s, curl %.1f s)\n", r[3], r[1], r[5], b[3], a[3] }'

list old "$million" >old
list old 10000 >apart
echo "$million old URLs on 10,000 pages of 40 KB over TLS, and 10,000 of them that lead to a page of their own each:"
for _ in 1 2; do
  a=$(looked apart); b=$(looked old)
  awk -v a="$a" -v b="$b" -v n="$million" 'BEGIN {
    printf "  %.1f s for %d, %.1f s for 10,000 apart: %.1f times as fast as asking each by itself\n", b, n, a, a * n / 10000 / b }'
done

{
  printf 'canonical: https://www.n.example\nsite: {addresses: [203.0.113.10]}\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\n'
  printf 'defaults: {carrier: g}\nrules: rules.csv\ndomains:\n  - n.example\n'
  for i in $(seq 0 31); do echo "  - h$i.example"; done
} >upperpath.yaml
{ echo old,new; for i in $(seq 0 31); do echo "h$i.example/few/{n:digits},/p/{n}"; done; } >rules.csv
echo "audit --old-urls, kept as it comes:"
for n in $((million / 100)) $((million / 10)) "$million"; do
  list few "$n" >list.txt
  /usr/bin/time -f "%e %M" ./upperpath audit --old-urls list.txt --parallel 64 --per-host 64 --fail-on never "${points[@]}" >shown 2>took
  awk -v n="$n" '{ printf "  %d: %.1f s, %.0f a second, %d MB at the peak\n", n, $1, n / $1, $2 / 1024 }' took
done
