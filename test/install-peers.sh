#!/usr/bin/env bash
# Installs the real servers that the tests need and this machine lacks. It does so as root on Debian only, and starts no
# service. PEERS=skip leaves it. Elsewhere it says which tests will be skipped.
set -euo pipefail
# The rules of axe-core, by which the pages are tested: a file, kept outside the project. Without it that test is skipped.
axe="${XDG_CACHE_HOME:-$HOME/.cache}/upperpath-tests/axe-4.14.1.min.js"
if [ ! -s "$axe" ] && [ "${PEERS:-}" != skip ] && command -v curl >/dev/null && command -v sha1sum >/dev/null; then
  mkdir -p "$(dirname "$axe")"
  fetched=$(mktemp -d)
  if curl -fsSL -m 60 -o "$fetched/axe.tgz" https://registry.npmjs.org/axe-core/-/axe-core-4.14.1.tgz &&
    echo "14d8a6f3f085afd126b8b5ca1e42e50e17fb1d99  $fetched/axe.tgz" | sha1sum -c - >/dev/null; then
    tar -xzf "$fetched/axe.tgz" -C "$fetched" package/axe.min.js && mv "$fetched/package/axe.min.js" "$axe"
  else
    echo "axe-core cannot be fetched; the test of the pages by its rules is SKIPPED"
  fi
  rm -rf "$fetched"
fi
declare -A package=([nginx]=nginx [knotd]=knot [kzonecheck]=knot-dnssecutils [named]=bind9 [named-checkzone]=bind9-utils [dnssec-signzone]=bind9-utils [apache2]=apache2 [haproxy]=haproxy [caddy]=caddy [httxt2dbm]=apache2-utils [chromium]=chromium [certutil]=libnss3-tools [unbound]=unbound [mandoc]=mandoc [jq]=jq [curl]=curl)
missing=()
for program in "${!package[@]}"; do
  PATH="$PATH:/usr/sbin:/usr/local/sbin" command -v "$program" >/dev/null || missing+=("$program")
done
[ ${#missing[@]} -eq 0 ] && exit 0
if [ "${PEERS:-}" = skip ] || [ "$(id -u)" != 0 ] || ! command -v apt-get >/dev/null; then
  echo "not on this machine: ${missing[*]}; the tests against them are SKIPPED (as root on Debian, make test installs them)"
  exit 0
fi
# A policy that forbids to start services while packages are installed.
policy=/usr/sbin/policy-rc.d
if [ ! -e $policy ]; then
  printf '#!/bin/sh\nexit 101\n' >$policy
  chmod +x $policy
  trap 'rm -f $policy' EXIT
fi
echo "installing ${missing[*]}"
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
for program in "${missing[@]}"; do
  apt-get install -y -qq --no-install-recommends "${package[$program]}" >/dev/null
done
