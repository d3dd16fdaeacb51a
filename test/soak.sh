#!/usr/bin/env bash
# Gives every test that draws at random an hour: MINUTES=5 SEED=7 test/soak.sh. Each round has a seed of its own, which
# is printed; the first failure ends it, and its seed draws the same again.
set -euo pipefail
cd "$(dirname "$0")/.."
minutes=${MINUTES:-60} seed=${SEED:-1}
end=$((SECONDS + minutes * 60))
while ((SECONDS < end)); do
  echo "seed $seed"
  export SEED=$seed
  ROUNDS=${ROUNDS:-1000} go test -count=1 -timeout 1h ./test/cutover
  ROUNDS=300 go test -count=1 -timeout 1h ./internal/core/proof -run 'NoURL|Random|Straighten'
  ROUNDS=20 go test -count=1 -timeout 1h ./test/peers -run ServersAnswer
  seed=$((seed + 1))
done
echo "nothing was found in $minutes minutes"
