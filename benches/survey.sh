#!/usr/bin/env bash
# Surveys generated files beside b3sum, and an unchanged tree beside git status, in one run; prints both ratios.
# Then the CPU time of a check from a survey.
#
#   benches/survey.sh [--gib N] [--files N] [--tree N] [--rounds N] [--dir DIR]
#
# The bars: at least 0.9 of the speed of b3sum on a first survey; no slower than git status on a second one; 50 ms of
# CPU for a check of 5,000 mods.
set -euo pipefail

gib=2 files=5000 tree=100000 rounds=5 dir=
while [ $# -gt 0 ]; do
  case "$1" in
    --gib) gib=$2 ;;
    --files) files=$2 ;;
    --tree) tree=$2 ;;
    --rounds) rounds=$2 ;;
    --dir) dir=$2 ;;
    *) sed -n '2,8p' "$0"; exit 2 ;;
  esac
  shift 2
done

here=$(cd "$(dirname "$0")/.." && pwd)
cargo build --quiet --release -p kanon --manifest-path "$here/Cargo.toml"
kanon=${CARGO_TARGET_DIR:-$here/target}/release/kanon
b3sum=$(command -v b3sum || true)
if [ -z "$b3sum" ]; then
  tools=${CARGO_TARGET_DIR:-$here/target}/tools
  cargo install --quiet --root "$tools" b3sum
  b3sum=$tools/bin/b3sum
fi
if [ -z "$dir" ]; then
  dir=$(mktemp -d)
  trap 'rm -rf "$dir"' EXIT
fi
mkdir -p "$dir"
cd "$dir"

# The best of several rounds, in nanoseconds: what the machine can do when nothing else disturbs it.
best_of() {
  local best='' start took
  for _ in $(seq "$rounds"); do
    start=$(date +%s%N)
    "$@" >/dev/null
    took=$(($(date +%s%N) - start))
    if [ -z "$best" ] || [ "$took" -lt "$best" ]; then best=$took; fi
  done
  echo "$best"
}

report() { # what, ours, theirs, peer
  awk -v what="$1" -v ours="$2" -v theirs="$3" -v peer="$4" \
    'BEGIN { printf "%-46s kanon %8.0f ms   %s %8.0f ms   speed against %s: %.2f\n", what, ours/1e6, peer, theirs/1e6, peer, theirs/ours }'
}

cat > bench.rulebook.toml <<'TOML'
format = "kanon-rulebook/1"
game = "bench"
[[shelf]]
name = "files"
holds = "files"
in = { client = "files" }
[shelf.mod]
id = { file-name = '^(?<id>.+)$' }
[[shelf]]
name = "folders"
holds = "folders"
in = { client = "folders" }
[shelf.mod]
id = { file-name = '^(?<id>.+)$' }
TOML

if [ ! -d first/files ]; then
  mkdir -p first/files
  size=$((gib * 1024 * 1024 * 1024 / files))
  head -c $((size * files)) /dev/urandom | split -b "$size" -a 5 -d - first/files/f
fi
survey_first() { "$kanon" survey first --rulebook bench.rulebook.toml --role client --quiet; }
sum_first() { "$b3sum" first/files/*; }
sum_first >/dev/null
ours=$(best_of survey_first)
theirs=$(best_of sum_first)
report "first survey, $files files, $gib GiB, warm cache" "$ours" "$theirs" b3sum

if [ ! -d second/tree/folders ]; then
  mkdir -p second/tree/folders
  per=100
  for n in $(seq $((tree / per))); do
    mkdir "second/tree/folders/m$n"
    head -c $((per * 32)) /dev/urandom | split -b 32 -a 3 -d - "second/tree/folders/m$n/f"
  done
  git -C second/tree init --quiet
  git -C second/tree add -A
  git -C second/tree -c user.name=bench -c user.email=bench@localhost commit --quiet -m tree
  (cd second && "$kanon" init --rulebook ../bench.rulebook.toml --server tree=tree --quiet >/dev/null && sed -i 's/role = "server"/role = "client"/' kanon.toml)
fi
sleep 3 # a file touched within two seconds of a survey is read again
survey_second() { "$kanon" -C second survey tree --quiet; }
status_second() { git -C second/tree status --porcelain; }
survey_second >/dev/null && sleep 3 && survey_second >/dev/null
status_second >/dev/null
ours=$(best_of survey_second)
theirs=$(best_of status_second)
report "second survey, $tree files, unchanged" "$ours" "$theirs" "git status"

if [ ! -d third/tree/files ]; then
  mkdir -p third/tree/files
  head -c $((files * 64)) /dev/urandom | split -b 64 -a 5 -d - third/tree/files/f
  "$kanon" -C third init --rulebook ../bench.rulebook.toml --server tree=tree --quiet >/dev/null
  sed -i 's/role = "server"/role = "client"/' third/kanon.toml
  "$kanon" -C third adopt tree --quiet >/dev/null
  "$kanon" -C third seal --quiet >/dev/null
  "$kanon" -C third survey tree -o tree.json --quiet >/dev/null
fi
best=
for _ in $(seq "$rounds"); do
  times=$( { TIMEFORMAT='%U %S'; time "$kanon" -C third check tree.json --quiet >/dev/null; } 2>&1)
  took=$(awk '{ printf "%d", ($1 + $2) * 1000 }' <<<"$times")
  if [ -z "$best" ] || [ "$took" -lt "$best" ]; then best=$took; fi
done
printf '%-46s kanon %8d ms of CPU\n' "check of $files mods from a survey" "$best"
