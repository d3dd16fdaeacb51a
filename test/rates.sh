#!/usr/bin/env bash
# Measures the written configuration on real servers: 100,000 exact rules and 1,000 patterns on one host, beside a server of the same process
# that redirects everything by one line. Each kind of path is asked of both in turn, five times; what is printed is the median of the
# ratios. Needs wrk and the servers (Debian: wrk, nginx, apache2, apache2-utils, haproxy, caddy).
set -euo pipefail
cd "$(dirname "$0")/.."
PATH="$PATH:/usr/sbin"
seconds=${SECONDS_EACH:-2}
for program in wrk nginx apache2 httxt2dbm haproxy caddy openssl; do
  command -v $program >/dev/null || { echo "rates of written configurations: SKIPPED, $program is not on this machine"; exit 0; }
done
work=$(mktemp -d); chmod 755 "$work"
trap 'kill $(jobs -p) 2>/dev/null || true; wait 2>/dev/null || true; rm -rf "$work"' EXIT
CGO_ENABLED=0 go build -trimpath -o "$work/upperpath" .
cd "$work"
printf 'canonical: https://www.n.example\ncarriers: {g: {by: server, addresses: [203.0.113.20]}}\ndomains: [old.example]\nrules: rules.csv\n' >upperpath.yaml
awk 'BEGIN {
  print "old,new"
  for (i = 0; i < 100000; i++) printf "old.example/archive/%04d/exhibits/obj-%07d.html,/collections/%d/item-%d/\n", i % 5000, i, i % 5000, i
  for (i = 0; i < 1000; i++) printf "old.example/section-%d/{year:digits}/{name}/{+rest},/s/{name}/{+rest}\n", i
}' >rules.csv
openssl req -x509 -newkey rsa:2048 -nodes -keyout old.example.key -out old.example.crt -days 30 -subj /CN=old.example 2>/dev/null
cat old.example.crt old.example.key >old.example.pem
mkdir -p challenges
paths() { # NAME FORMAT: a list of 2,000 paths for wrk; %1 and %2 are numbers
  awk -v format="$2" 'BEGIN { srand(1); print "local p = {"; for (j = 0; j < 2000; j++) {
    i = int(rand() * 100000); s = format; gsub(/@year@/, sprintf("%04d", i % 5000), s); gsub(/@object@/, sprintf("%07d", i), s); gsub(/@section@/, i % 1000, s); gsub(/@n@/, j, s); printf "\"%s\",\n", s }
    print "}\nlocal i = 0\nwrk.headers[\"Host\"] = \"old.example\"\nrequest = function() i = i % #p + 1 return wrk.format(\"GET\", p[i]) end" }' >"$1.lua"
}
paths exact '/archive/@year@/exhibits/obj-@object@.html'
paths pattern '/section-@section@/1998/lace/a/b@n@.html'
paths nothing '/nothing/here-@n@/index.html'
paths encoded '/section-@section@/1998/caf%C3%A9/b%20@n@.html'
kinds=(exact pattern nothing encoded)
rate() { wrk -t1 -c32 -d"${seconds}s" -s "$1.lua" "http://127.0.0.1:$2" | awk '/Requests\/sec/ { print $2 }'; }
await() { until wrk -t1 -c1 -d1s "http://127.0.0.1:$1" >/dev/null 2>&1; do sleep 0.2; done; }
measure() { # NAME OURS PLAIN KINDS...
  local name=$1 ours=$2 plain=$3; shift 3
  for kind in "$@"; do
    for _ in 1 2 3 4 5; do
      local a b; b=$(rate "$kind" "$plain"); a=$(rate "$kind" "$ours")
      awk -v a="$a" -v b="$b" 'BEGIN { printf "%.3f %d %d\n", a / b, a, b }'
    done | sort -n | awk -v name="$name" -v kind="$kind" '{ r[NR] = $1; a[NR] = $2; b[NR] = $3 } END {
      printf "  %-9s %-8s ratio %.2f (%.2f to %.2f; in the median run %d requests/s, beside %d)\n", name, kind, r[3], r[1], r[5], a[3], b[3] }'
  done
}
started() { local TIMEFORMAT="  $1 reads it in %R s"; time "${@:2}" >"$work/said" 2>&1 || { cat "$work/said"; exit 1; }; }

echo "written configurations, 100,000 exact rules and 1,000 patterns, beside one line that redirects everything:"
./upperpath write nginx --out nginx --listen http=127.0.0.1:18480 --listen https=127.0.0.1:18443 --certificates "$work" --challenges "$work/challenges" >/dev/null
cat >nginx.conf <<CONF
worker_processes 1; daemon off; pcre_jit on; pid $work/nginx.pid; error_log $work/error.log;
events { worker_connections 1024; }
http { access_log off; include $work/nginx/nginx.conf;
  server { listen 127.0.0.1:18481; location / { return 301 https://www.n.example\$request_uri; } } }
CONF
started nginx nginx -t -c "$work/nginx.conf"
nginx -c "$work/nginx.conf" 2>/dev/null &
await 18481
measure nginx 18480 18481 "${kinds[@]}"
kill %1 2>/dev/null || true; wait 2>/dev/null || true

./upperpath write apache --out apache --place "$work/apache" --listen http=127.0.0.1:18580 --listen https=127.0.0.1:18543 --certificates "$work" --challenges "$work/challenges" >/dev/null
for table in apache/up*.txt; do httxt2dbm -i "$table" -o "${table%.txt}.dbm" >/dev/null 2>&1; done
modules=/usr/lib/apache2/modules
cat >apache.conf <<CONF
ServerRoot $work
ServerName localhost
PidFile $work/apache.pid
ErrorLog $work/apache.log
Mutex file:$work default
LoadModule mpm_event_module $modules/mod_mpm_event.so
LoadModule authz_core_module $modules/mod_authz_core.so
LoadModule alias_module $modules/mod_alias.so
LoadModule rewrite_module $modules/mod_rewrite.so
LoadModule socache_shmcb_module $modules/mod_socache_shmcb.so
LoadModule ssl_module $modules/mod_ssl.so
User nobody
Group nogroup
MaxKeepAliveRequests 0
Listen 127.0.0.1:18581
Include $work/apache/apache.conf
<VirtualHost 127.0.0.1:18581>
  Redirect 301 / https://www.n.example/
</VirtualHost>
CONF
started apache apache2 -t -f "$work/apache.conf"
apache2 -DFOREGROUND -f "$work/apache.conf" 2>/dev/null &
await 18581
measure apache 18580 18581 "${kinds[@]}"
kill %1 2>/dev/null || true; wait 2>/dev/null || true

./upperpath write haproxy --out haproxy --place "$work/haproxy" --listen http=127.0.0.1:18780 --listen https=127.0.0.1:18743 --certificates "$work" >/dev/null
cat >haproxy.cfg <<CONF
global
    nbthread 1
    maxconn 1000
frontend plain
    mode http
    timeout client 30s
    bind 127.0.0.1:18781
    http-request redirect prefix https://www.n.example code 301
CONF
started haproxy haproxy -c -f "$work/haproxy.cfg" -f "$work/haproxy/haproxy.cfg"
haproxy -db -q -f "$work/haproxy.cfg" -f "$work/haproxy/haproxy.cfg" 2>/dev/null &
await 18781
measure haproxy 18780 18781 "${kinds[@]}"
kill %1 2>/dev/null || true; wait 2>/dev/null || true

# Caddy tries one rule after another, so that it is for some hundred: 200 exact rules and 50 patterns.
cp rules.csv all.csv
awk 'NR <= 201 || NR > 100001 && NR <= 100051' all.csv >rules.csv
awk -v FS=, 'NR > 1 && NR <= 201 { print substr($1, 12) }' rules.csv >exact.txt
./upperpath write caddy --out caddy --place "$work/caddy" --listen http=127.0.0.1:18880 --listen https=127.0.0.1:18843 --certificates "$work" >/dev/null
awk 'BEGIN { print "local p = {" } { printf "\"%s\",\n", $0 }
  END { print "}\nlocal i = 0\nwrk.headers[\"Host\"] = \"old.example\"\nrequest = function() i = i % #p + 1 return wrk.format(\"GET\", p[i]) end" }' exact.txt >exact-few.lua
for kind in pattern encoded; do sed -E 's#/section-([0-9]*)([0-9])/#/section-\2/#' "$kind.lua" >"$kind-few.lua"; done
cp nothing.lua nothing-few.lua
printf '{\n\tadmin off\n\tstorage file_system %s/storage\n}\nimport %s/caddy/caddy.conf\nhttp://:18881 {\n\tbind 127.0.0.1\n\tredir https://www.n.example{uri} 301\n}\n' "$work" "$work" >Caddyfile
echo "Caddy, 200 exact rules and 50 patterns, beside one line that redirects everything:"
started caddy caddy validate --adapter caddyfile --config "$work/Caddyfile"
GOMAXPROCS=1 caddy run --adapter caddyfile --config "$work/Caddyfile" 2>/dev/null &
await 18881
measure caddy 18880 18881 exact-few pattern-few nothing-few encoded-few
kill %1 2>/dev/null || true; wait 2>/dev/null || true
cp all.csv rules.csv

# A folder's file is read anew for every request, so that it is for maps of ordinary size: 30 exact rules and 10 patterns.
awk 'NR == 1 || NR <= 31 || NR > 100001 && NR <= 100011' rules.csv >few.csv && mv few.csv rules.csv
paths few '/archive/0017/exhibits/obj-0000017.html'
mkdir -p folder plain hand
./upperpath write apache --htaccess --out folder --force >/dev/null
printf 'Redirect 301 / https://www.n.example/\n' >plain/.htaccess
awk -F'[,/]' 'NR == 1 { next }
  NR <= 31 { sub(/^[^\/]*/, "", $0); split($0, r, ","); print "Redirect 301 " r[1] " https://www.n.example" r[2]; next }
  { print "RedirectMatch 301 ^/" $2 "/([0-9]+)/([^/]+)/(.*)$ https://www.n.example/s/$2/$3" }
  END { print "RedirectMatch 301 (.*) https://www.n.example$1" }' rules.csv >hand/.htaccess
sed -i '/^Include/,$d; s/^Listen.*//' apache.conf
cat >>apache.conf <<CONF
Listen 127.0.0.1:18680
Listen 127.0.0.1:18681
Listen 127.0.0.1:18682
<Directory $work>
  AllowOverride All
  Require all granted
</Directory>
<VirtualHost 127.0.0.1:18680>
  DocumentRoot $work/folder
</VirtualHost>
<VirtualHost 127.0.0.1:18681>
  DocumentRoot $work/plain
</VirtualHost>
<VirtualHost 127.0.0.1:18682>
  DocumentRoot $work/hand
</VirtualHost>
CONF
echo "one .htaccess, 30 exact rules and 10 patterns, beside one with a single Redirect:"
apache2 -DFOREGROUND -f "$work/apache.conf" 2>/dev/null &
await 18681
measure .htaccess 18680 18681 few nothing
echo "the same beside one of 41 lines, Redirect and RedirectMatch, which mind neither spelling nor query:"
measure .htaccess 18680 18682 few nothing
