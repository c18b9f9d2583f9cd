#!/usr/bin/env bash
# A player's walk on a release of 30 mods and 300 MB, over `kanon serve` and over nginx: how long, how many bytes, how much room; then
# everything that may go wrong on the way, and whether the game is right in the end.
#
#   benches/walk.sh [MB]          300 when not said
#
# Wants nginx and python3 (apt), and root for a small disk of its own.
set -euo pipefail
mb=${1:-300} mods=30
root=$(cd "$(dirname "$0")/.." && pwd)
for tool in nginx python3; do
  command -v "$tool" >/dev/null || { echo "install first: apt-get install nginx-light python3" >&2; exit 2; }
done
cargo build --quiet --release -p kanon --manifest-path "$root/Cargo.toml"
kanon=${CARGO_TARGET_DIR:-$root/target}/release/kanon
work=$(mktemp -d "${TMPDIR:-/tmp}/walk.XXXX")
export XDG_CONFIG_HOME=$work/config KANON_PATIENCE=2 KANON_LANGUAGE=en
trap 'kill $(jobs -p) 2>/dev/null; umount "$work/small" 2>/dev/null; rm -rf "$work"' EXIT

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
mkdir -p "$work/server/loads" "$work/site"
python3 - "$work/server/loads" "$mb" "$mods" <<'LOADS'
import random, sys
folder, mb, mods = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
dice = random.Random(20261129)
for number in range(mods):
    name = "load" + chr(97 + number // 26) + chr(97 + number % 26)
    open(f"{folder}/{name}-1.load", "wb").write(dice.randbytes(mb * 1_000_000 // mods))
LOADS
step() { "$kanon" -C "$work" "$@" >"$work/said" 2>&1 || { cat "$work/said" >&2; exit 1; }; }
step init --name Fen --rulebook fen.rulebook.toml --server server
step adopt server
step seal
step publish site --address http://127.0.0.1:8651/
"$kanon" serve "$work/site" --listen 127.0.0.1:8651 >/dev/null 2>&1 &
cat >"$work/nginx.conf" <<NGINX
daemon off; pid $work/nginx.pid; error_log $work/nginx.error; user root;
events {}
http { access_log off; server { listen 127.0.0.1:8652; root $work/site; } }
NGINX
nginx -c "$work/nginx.conf" 2>/dev/null &
web=$!
sleep 1
invite=$("$kanon" -C "$work" invite -q)
by_nginx=${invite/8651/8652}
right() { diff -rq "$work/server/loads" "$1/loads" >/dev/null; }
follow() { "$kanon" -C "$work" follow --yes "$@" >"$work/said" 2>&1; }

# The most room that a folder ever took while a command ran.
walk() {
  local name=$1 from=$EPOCHREALTIME most=0 now; shift
  mkdir -p "$work/$name"
  follow "$@" "$work/$name" --format json -q & local child=$!
  while kill -0 $child 2>/dev/null; do
    now=$(du -sb "$work/$name" 2>/dev/null | cut -f1 || true); [ "${now:-0}" -gt "$most" ] && most=$now; sleep 0.02
  done
  wait $child || { cat "$work/said" >&2; exit 1; }
  right "$work/$name" || { echo "$name is not right" >&2; exit 1; }
  python3 - "$work/said" "$name" "$(echo "$EPOCHREALTIME $from" | awk '{print $1 - $2}')" "$most" <<'ROW'
import json, sys
said, name, seconds, most = json.load(open(sys.argv[1])), sys.argv[2], float(sys.argv[3]), int(sys.argv[4])
print(f"{name:<28} {seconds:6.2f} s   {said['fetched']['bytes'] / 1e6:7.1f} MB fetched   at most {most / 1e6:6.1f} MB in the game")
ROW
}
walk "over kanon serve" "$invite"
walk "over nginx" "$by_nginx"

killed=$work/killed; mkdir "$killed"
python3 - "$kanon" "$work" "$by_nginx" "$killed" <<'KILLS'
import subprocess, sys, time
kanon, work, invite, game = sys.argv[1:]
for number in range(20):
    child = subprocess.Popen([kanon, "-C", work, "follow", "--yes", invite, game], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(0.03 * (number + 1))
    child.kill(); child.wait()
KILLS
follow "$by_nginx" "$killed" || { cat "$work/said" >&2; exit 1; }
right "$killed" && echo "killed 20 times               right, $(du -sb "$killed" | awk '{printf "%.1f", $1 / 1e6}') MB in the game"

mkdir "$work/small"
if mount -t tmpfs -o size=$((mb / 2))m none "$work/small" 2>/dev/null; then
  follow "$by_nginx" "$work/small" && { echo "a full disk was not noticed" >&2; exit 1; }
  echo "a disk of half the size       $(grep -m1 '^error' "$work/said"); $(find "$work/small" -type f -name '*.load' | wc -l) mods in it"
  mount -o remount,size=$((mb * 2))m "$work/small"
  follow "$by_nginx" "$work/small" && right "$work/small" && echo "the same, with room            right"
else
  echo "a full disk                   skipped: no disk can be made here"
fi

kill $web; wait $web 2>/dev/null || true
follow "$work/over nginx" && grep -q "can't be reached" "$work/said" && echo "off line                      checked against what it saw the last time"
nginx -c "$work/nginx.conf" 2>/dev/null &
sleep 1

# Every file of the release, one bit of it, for somebody who is new and for somebody who follows already.
refused=0 harmless=0 total=0
while read -r file; do
  total=$((total + 1))
  cp -p "$file" "$work/kept"
  python3 - "$file" <<'BIT'
import os, sys
at = os.path.getsize(sys.argv[1]) // 2
with open(sys.argv[1], "r+b") as file:
    file.seek(at); byte = file.read(1)
    if byte: file.seek(at); file.write(bytes([byte[0] ^ 1]))
BIT
  rm -rf "$work/new"; mkdir "$work/new"
  if follow "$by_nginx" "$work/new"; then right "$work/new" || { echo "$file: wrong bytes were taken" >&2; exit 1; }; harmless=$((harmless + 1)); else
    refused=$((refused + 1))
    [ -d "$work/new/loads" ] && for load in "$work/new/loads"/*.load; do
      [ -e "$load" ] && { cmp -s "$load" "$work/server/loads/${load##*/}" || { echo "$file: a wrong byte is in the game" >&2; exit 1; }; }
    done
  fi
  cp -p "$work/kept" "$file"
done < <(find "$work/site" -type f ! -path '*/ready/*')
echo "each of $total files tampered with: $refused refused, $harmless did no harm (a page, or what the player had no need of); never a wrong byte in a game"
