#!/usr/bin/env bash
# Carries records to the small provider of the demo, as docs/carrying.md asks of a program; with curl and jq. Copy it and
# put your provider's interface in place of this one's.
#
#   run: [bash, provider/provider.sh]
#   env: [PROVIDER_TOKEN, http_proxy]
set -uo pipefail
provider=http://api.registrar-b.example/zones

# ask METHOD ZONE [BODY]: what the provider answers, and behind it the status on a line of its own.
ask() {
  curl -sS -m 30 -X "$1" -H "Authorization: Bearer ${PROVIDER_TOKEN:-}" -w '\n%{http_code}\n' \
    ${3:+--data-binary @-} "$provider/$2" <<<"${3:-}"
}

# An answer: what it is, with further fields as jq has them.
answer() { jq -cn --argjson id "$id" --arg is "$1" "{id: \$id, is: \$is} + ($2)"; }

# A failure, with what the provider said.
failed() { says=$1 jq -cn --argjson id "$id" '{id: $id, is: "failed", says: env.says}'; }

while IFS= read -r question; do
  id=$(jq .id <<<"$question")
  zone=$(jq -r '.zone // ""' <<<"$question")
  case $(jq -r .ask <<<"$question") in
  hello)
    answer hello '{carrying: 1, name: "the demo'"'"'s provider, by a script"}'
    ;;
  read)
    said=$(ask GET "$zone") || { failed "the provider cannot be reached"; continue; }
    if [ "${said##*$'\n'}" = 200 ]; then
      jq -c --argjson id "$id" --arg zone "$zone" '{id: $id, is: "zone", zone: $zone, sets}' <<<"${said%$'\n'*}"
    else
      failed "the provider says ${said##*$'\n'}"
    fi
    ;;
  change)
    said=$(ask GET "$zone") || { failed "the provider cannot be reached"; continue; }
    [ "${said##*$'\n'}" = 200 ] || { failed "the provider says ${said##*$'\n'}"; continue; }
    # Each set has to be as it was before; then the body is made, else nothing comes out.
    body=$(jq -c --argjson q "$question" '
      . as $z | if all($q.changes[]; . as $c
          | ([$z.sets[] | select(.name == $c.name and .type == $c.type) | .values | sort] | first)
            == (if $c.before then ($c.before.values | sort) else null end))
        then {version, sets: [$q.changes[] | {name, type} + (.after // {ttl: 0, values: []})]}
        else empty end' <<<"${said%$'\n'*}")
    if [ -z "$body" ]; then
      answer refused '{says: "the zone has changed since", changed: true}'
      continue
    fi
    said=$(ask PATCH "$zone" "$body") || { failed "the provider did not answer"; continue; }
    case ${said##*$'\n'} in
    200) answer changed '{}' ;;
    412) answer refused '{says: "the zone has changed since", changed: true}' ;;
    *) failed "the provider says ${said##*$'\n'}" ;;
    esac
    ;;
  *)
    failed "this program knows hello, read and change"
    ;;
  esac
done
