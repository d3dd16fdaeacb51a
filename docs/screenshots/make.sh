#!/usr/bin/env bash
# Takes the pictures of docs/screenshots anew, on the demo estate: terminal views in a real terminal window, pages in a
# browser. Needs Xvfb, xterm, ImageMagick and Chromium (Debian: xvfb xterm imagemagick chromium fonts-dejavu).
# usage: make.sh [NAME...]      without names: all of them
set -euo pipefail
cd "$(dirname "$0")/../.."
out=$PWD/docs/screenshots
work=$(mktemp -d)
go build -o "$work/upperpath" .
export PATH="$work:$PATH"
cd "$work"
upperpath demo --dir museums >/dev/null
cd museums
upperpath stage stage >/dev/null &
player=$!
trap 'kill $player 2>/dev/null || true; rm -rf "$work"' EXIT
until [ -s stage/stage.yaml ]; do sleep 0.1; done
wanted="$*"
want() { [ -z "$wanted" ] || [[ " $wanted " == *" $1 "* ]]; }

# terminal NAME COMMAND [SCROLL] [SECONDS] [COLUMNS] [FONT]: the window as it looks after the command; with SCROLL "top", its first
# screen; with "/FROM/,\$" the screen that begins there.
terminal() {
  want "$1" || return 0
  local cut=""
  local columns=${5:-126} font=${6:-12}
  local rows=$((44 * 12 / font))
  [ "${3:-}" = top ] && cut=" | head -n $((rows - 1))"
  [[ "${3:-}" == /* ]] && cut=" | sed -n '${3}p' | head -n $((rows - 1))"
  cat >"$work/show" <<S
export PS1='\$ '; clear; printf '\033[1m$ %s\033[0m\n' "$2"
script -qec "stty cols $columns rows $rows; $2" /dev/null$cut
sleep 60
S
  xvfb-run -a -s "-screen 0 1280x800x24" bash -c '
    xterm -fa "DejaVu Sans Mono" -fs "$3" -geometry "$4"  -bg "#fdfcf9" -fg "#1d2a33" -xrm "XTerm*color8: #7a858c" -xrm "XTerm*color1: #b3261e" -xrm "XTerm*color2: #23704a" -xrm "XTerm*color3: #9a6700" -xrm "XTerm*color4: #2a5d8f" +sb -bw 0 -b 12 -e bash "$0" &
    sleep "$1"; import -window root "$2"; kill %1' "$work/show" "${4:-4}" "$out/$1.png" "$font" "$((columns + 1))x$((rows + 2))+0+0"
}

# page NAME FILE
page() {
  want "$1" || return 0
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync --hide-scrollbars --user-data-dir="$work/browser" --window-size=1280,800 --screenshot="$out/$1.png" "file://$2" >/dev/null 2>&1
}

terminal demo "upperpath demo" top
terminal look "upperpath look lacemill-museum.example" top
terminal write "upperpath write nginx" top 6
terminal survey "upperpath survey --only wave:2" top
terminal inventory "upperpath inventory" top
terminal audit "upperpath audit" top
terminal rehearse "upperpath rehearse --all-steps" top 8
terminal cover "upperpath cover" top
terminal import "upperpath rules import old.htaccess --host lacemill-museum.example" top
cp rules.csv mended.csv
cp old-rules.csv rules.csv
terminal prove "upperpath prove" top
cp mended.csv rules.csv
terminal plan "upperpath plan" top
cp rules.csv "$work/rules.csv"
head -1 "$work/rules.csv" >rules.csv # as if nothing were decided yet
terminal pair "upperpath pair" top
cp "$work/rules.csv" rules.csv
rm -f pairs.csv
terminal runbook "upperpath runbook --check" top
terminal await "upperpath await --only lacemill-museum.example --timeout 20s"
terminal content "upperpath audit --content --rate 500" top
upperpath write sheet --format html >/dev/null
page sheet "$work/museums/sheets/registrar-a.html"
page report "$work/museums/report.html"
# Last, since they change zones of the stage.
upperpath runbook --done 1,2 >/dev/null
http_proxy=socks5h://$(sed -n 's/.*socks5:..\([0-9.:]*\).*/\1/p' stage/stage.yaml)
export http_proxy PROVIDER_TOKEN=made-up-token
terminal send "upperpath send --yes --accept-warnings --timeout 0s" top 5
upperpath recheck --accept-all >/dev/null 2>&1
cat >stage/zones/northmoormuseum.example.zone <<'Z'
$TTL 300
@ IN SOA ns1.registrar-a.example. hostmaster.registrar-a.example. 2026110102 7200 3600 1209600 900
@ IN NS ns1.registrar-a.example.
@ IN NS ns2.registrar-a.example.
@ IN A 203.0.113.20
www IN CNAME sites.platform.example.
Z
sleep 1.5
upperpath survey --fail-on never >/dev/null 2>&1
terminal recheck "upperpath recheck --forget"
