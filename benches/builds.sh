#!/usr/bin/env bash
# Two builds of the program side by side in one run: what a change costs. Survey (first and second), check, diagnose, align.
#
#   benches/builds.sh BEFORE AFTER [ROUNDS]      two programs; 15 rounds when not said
#
# Rounds of the two take turns, so that what disturbs the machine disturbs both. CPU time (user and system) and wall-clock
# time of the best round of each, and the ratio; the bar is 1.03.
set -euo pipefail
[ $# -ge 2 ] || { sed -n '2,7p' "$0"; exit 2; }
programs=("$(realpath "$1")" "$(realpath "$2")") rounds=${3:-15} files=4000
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cat > "$work/rulebook.toml" <<'TOML'
format = "kanon-rulebook/1"
game = "Tallowfen"
[[shelf]]
name = "loads"
holds = "files"
in = "loads"
[shelf.mod]
id = { file-name = '^(?<id>.+)$' }
[[event]]
means = "join-refused"
line = 'quay: (?<player>\S+) is sent away'
[[event]]
means = "mod-missing"
line = '(?<player>\S+) lacks (?<mod>\S+)'
TOML
for which in 0 1; do
  home=$work/$which
  mkdir -p "$home/server/loads" "$home/client/loads"
  head -c $((files * 20000)) /dev/zero | openssl enc -aes-128-ctr -K 00 -iv 00 2>/dev/null | split -b 20000 -a 5 -d - "$home/server/loads/f"
  kanon=("${programs[$which]}" -C "$home")
  "${kanon[@]}" init --rulebook "$work/rulebook.toml" --server server=server --client client=client -q >/dev/null
  "${kanon[@]}" adopt server -q >/dev/null
  "${kanon[@]}" seal -q >/dev/null
  "${kanon[@]}" survey server -o server.json -q >/dev/null
  # Lines that nothing knows, then a join that fails.
  { seq -f 'worker %.0f lays reed by the weir state=ok' 600000; echo 'quay: mara lacks f00007'; echo 'quay: mara is sent away'; } > "$home/server.log"
done
sleep 3 # what was touched within two seconds of a survey is read again

prepare() { # what, home, program
  case $1 in
    first) rm -f "$2"/.kanon/cache.db* ;;
    align) rm -rf "$2/client/loads"; mkdir "$2/client/loads"; rm -rf "$2/.kanon/backups" ;;
  esac
}
act() { # what, home, program
  case $1 in
    first | second) "$3" -C "$2" survey server -q ;;
    check) "$3" -C "$2" check server.json -q ;;
    diagnose) "$3" -C "$2" diagnose --server server.json --server-log server.log --player mara -q ;;
    align) "$3" -C "$2" align client --yes -q ;;
  esac
}
TIMEFORMAT='%U %S %R'
for what in first second check diagnose align; do
  for round in $(seq "$rounds"); do
    for which in $((round % 2)) $(((round + 1) % 2)); do
      prepare "$what" "$work/$which"
      { time act "$what" "$work/$which" "${programs[$which]}" >"$work/said" 2>&1 || [ $? -eq 1 ] || { cat "$work/said" >&2; exit 2; }; } 2>"$work/time"
      echo "$which $(tail -1 "$work/time")" >> "$work/$what.times"
    done
  done
  awk -v what="$what" '
    { cpu = $2 + $3; if (!($1 in best) || cpu < best[$1]) best[$1] = cpu; if (!($1 in wall) || $4 < wall[$1]) wall[$1] = $4 }
    END { printf "%-9s before %.3f s of CPU, %.3f s   after %.3f s of CPU, %.3f s   ratio %.3f and %.3f\n", what, best[0], wall[0], best[1], wall[1], best[1] / best[0], wall[1] / wall[0] }
  ' "$work/$what.times"
done
