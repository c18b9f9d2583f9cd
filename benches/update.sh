#!/usr/bin/env bash
# What an update of one large file fetches, beside zsync and rsync on the same pair, in one run.
#
#   benches/update.sh [MIB] [PLACES]       1024 MiB, 1 % of it changed in 10 places, when not said
#
# Every other place is an insertion: everything behind it moves. The bytes are noise, so that nothing can be compressed. Wants zsync,
# rsync, nginx and python3 (apt). zsync comes from nginx and kanon follow from kanon serve, both on this machine, so that
# the bytes tell and the seconds only hint.
set -euo pipefail
mib=${1:-1024} places=${2:-10}
root=$(cd "$(dirname "$0")/.." && pwd)
profile=${KANON_PROFILE:-release}
flags=(); [ "$profile" = release ] && flags=(--release)
for tool in zsync zsyncmake rsync nginx python3; do
  command -v "$tool" >/dev/null || { echo "install first: apt-get install zsync rsync nginx-light python3" >&2; exit 2; }
done
cargo build --quiet "${flags[@]}" -p kanon --manifest-path "$root/Cargo.toml"
kanon=${CARGO_TARGET_DIR:-$root/target}/$profile/kanon
work=$(mktemp -d "${TMPDIR:-/tmp}/update.XXXX")
export XDG_CONFIG_HOME=$work/config
trap 'kill $(jobs -p) 2>/dev/null; rm -rf "$work"' EXIT

cat >"$work/fen.rulebook.toml" <<'RULES'
format = "kanon-rulebook/1"
game   = "Tallowfen"
[[shelf]]
name  = "loads"
holds = "files"
in    = { server = "loads", client = "loads" }
match = ["*.load"]
[shelf.mod]
id      = { file-name = '^(?<id>[a-z]+)' }
version = { file-name = '-(?<version>[0-9]+)\.load$' }
RULES
mkdir -p "$work"/{server/loads,game,site,peer}
python3 - "$work" "$mib" "$places" <<'PAIR'
import random, sys
work, mib, places = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
dice = random.Random(20261127)
size, run = mib << 20, (mib << 20) // 100 // places
old = bytearray().join(dice.randbytes(1 << 20) for _ in range(mib))
new, at = bytearray(), 0
for place in range(places):
    here = size // places * place + size // places // 3
    new += old[at:here] + dice.randbytes(run)
    at = here + (0 if place % 2 else run)
new += old[at:]
open(f"{work}/peer/old", "wb").write(old)
open(f"{work}/peer/new", "wb").write(new)
open(f"{work}/changed", "w").write(str(run * places))
PAIR
changed=$(cat "$work/changed")

seconds() { local from=$EPOCHREALTIME; "$@" >"$work/said" 2>&1 || { cat "$work/said" >&2; exit 1; }; echo "$EPOCHREALTIME $from" | awk '{printf "%.2f", $1 - $2}'; }
step() { "$kanon" -C "$work" "$@" >"$work/said" 2>&1 || { cat "$work/said" >&2; exit 1; }; }

cp "$work/peer/old" "$work/server/loads/peat-1.load"
step init --name Fen --rulebook fen.rulebook.toml --server server
step adopt server
step seal
first=$(seconds "$kanon" -C "$work" publish site --address http://127.0.0.1:8641/)
"$kanon" serve "$work/site" --listen 127.0.0.1:8641 >/dev/null &
sleep 0.5
invite=$("$kanon" -C "$work" invite -q)
step follow --yes "$invite" game
rm "$work/server/loads/peat-1.load"
cp "$work/peer/new" "$work/server/loads/peat-2.load"
step adopt server
step seal
second=$(seconds "$kanon" -C "$work" publish)
ours=$(seconds /usr/bin/env time -f '%M' -o "$work/peak" "$kanon" -C "$work" follow --yes game --format json -q)
fetched=$(python3 -c 'import json, sys; print(json.load(open(sys.argv[1]))["fetched"]["bytes"])' "$work/said")
cmp "$work/game/loads/peat-2.load" "$work/peer/new"

cat >"$work/nginx.conf" <<NGINX
daemon off; pid $work/nginx.pid; error_log $work/nginx.error; user root;
events {}
http { access_log $work/nginx.access; server { listen 127.0.0.1:8642; root $work/peer; } }
NGINX
nginx -c "$work/nginx.conf" 2>/dev/null &
sleep 0.5
(cd "$work/peer" && zsyncmake -u http://127.0.0.1:8642/new new 2>/dev/null)
mkdir "$work/there"
zsynced() { cd "$work/there" && zsync -q -i "$work/peer/old" -o new http://127.0.0.1:8642/new.zsync; }
theirs=$(seconds zsynced)
zsync=$(awk '{sum += $10} END {print sum}' "$work/nginx.access")
cmp "$work/there/new" "$work/peer/new"
cp "$work/peer/old" "$work/there/rsynced"
rsynced=$(seconds rsync --no-whole-file --stats "$work/peer/new" "$work/there/rsynced")
rsync=$(awk -F: '/Literal data/ {gsub(/[^0-9]/, "", $2); print $2}' "$work/said")

row() { printf '%-34s %12s bytes  %6.2f of those changed  %7s s\n' "$1" "$2" "$(echo "$2 $changed" | awk '{print $1 / $2}')" "$3"; }
printf '%s MiB, %s bytes changed in %s places, %s processors\n' "$mib" "$changed" "$places" "$(nproc)"
row "kanon follow" "$fetched" "$ours"
row "zsync" "$zsync" "$theirs"
row "rsync (data sent, without its sums)" "$rsync" "$rsynced"
bar=$((changed * 12 / 10 + (mib << 20) / 100))
printf 'the bar is %s bytes; kanon fetched %s of it\n' "$bar" "$(echo "$fetched $bar" | awk '{printf "%.2f", $1 / $2}')"
printf 'kanon publish: %s s the first time, %s s for the update; follow took at most %s KiB of memory\n' "$first" "$second" "$(cat "$work/peak")"
