#!/usr/bin/env bash
# Learning from a server with 500 mods of 40 members each, and a list that names them all: seconds of CPU.
#
#   benches/learn.sh [MODS]
#
# There is no peer for this work; the bar is 5 s of CPU, the survey by the draft included.
set -euo pipefail
root=$(cd "$(dirname "$0")/.." && pwd)
mods=${1:-500}
cargo build --quiet --release -p kanon --manifest-path "$root/Cargo.toml"
kanon=${CARGO_TARGET_DIR:-$root/target}/release/kanon
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

awk -v mods="$mods" 'BEGIN {
  srand(7); print "a bench\n"
  for (i = 1; i <= mods; i++) {
    version = int(rand() * 5) "." int(rand() * 20) "." int(rand() * 10)
    file = "server/cargo/reed-" i "-" version ".psm"
    need = i > 1 ? "\"reed-" int(1 + rand() * (i - 1)) "\": \">=0.0\"" : ""
    print "=== " file "!sheet.json"
    print "{\"id\": \"reed-" i "\", \"version\": \"" version "\", \"title\": \"Reed " i "\", \"runs\": \"both\", \"needs\": {" need "}}"
    for (m = 1; m <= 39; m++) {
      print "=== " file "!data/part" m ".json"
      print "{\"name\": \"part" m "\", \"values\": [" rand() "," rand() "," rand() "]}"
    }
  }
  print "=== server/engine/load.json\n{\"load\": ["
  for (i = 1; i <= mods; i++) print "{\"id\": \"reed-" i "\", \"on\": true}" (i < mods ? "," : "")
  print "]}"
}' >"$work/bench.tree"
"$kanon" standin layout "$work/bench.tree" "$work" 2>/dev/null
cd "$work"
"$kanon" learn server -q >/dev/null || true # warm the page cache
for round in 1 2 3; do
  TIMEFORMAT='%U %S'
  spent=$({ time "$kanon" learn server -q >draft.toml 2>/dev/null; } 2>&1)
  awk -v spent="$spent" -v mods="$mods" -v round="$round" 'BEGIN { split(spent, s, " "); printf "round %d: %d mods learned in %.2f s of CPU\n", round, mods, s[1] + s[2] }'
done
grep -c '^required' draft.toml >/dev/null && echo "the draft reads ids, versions, needs and the list"
