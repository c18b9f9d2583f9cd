#!/usr/bin/env bash
# Makes the pictures in this folder: the demo's workspace as it was this morning, in a terminal window under Xvfb.
#
#   docs/screenshots/make.sh [NAME...]        all, or only those named
#
# Wants xvfb, xterm, imagemagick, chromium and fonts-dejavu-core (apt).
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
root=$here/../..
for tool in Xvfb xterm import chromium; do
  command -v "$tool" >/dev/null || { echo "install first: apt-get install xvfb xterm imagemagick chromium fonts-dejavu-core" >&2; exit 2; }
done
cargo build --quiet --release -p kanon --manifest-path "$root/Cargo.toml"
bin=${CARGO_TARGET_DIR:-$root/target}/release
work=$(mktemp -d)
display=:$((90 + RANDOM % 9))
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
xvfb=$!
trap 'kill $xvfb 2>/dev/null; rm -rf "$work"' EXIT
export DISPLAY=$display PATH=$bin:$PATH XDG_CONFIG_HOME=$work/config
sleep 1

# The station as it was this morning: sealed when all was well, changed by hand last night.
story=$work/longnight
kanon standin world "$story"
cd "$story"
kanon init --name "Longnight Station" --rulebook polarspur.rulebook.toml --server station --client mara --client oskar --client wren --client tove >/dev/null
for name in mara station; do kanon adopt "$name" >/dev/null; done
kanon seal >/dev/null
kanon standin morning "$story"
coproc station { exec kanon standin server station this-morning.log; }
read -r port <&"${station[0]}"
for name in mara oskar wren tove; do kanon standin client "$name" "$name" "$port" "$name.log" >/dev/null || true; done
kill "$station_PID"
# The whole story, for what comes later in it.
demo=$work/demo
kanon demo --keep "$demo" >/dev/null

shot() { # name, command
  local name=$1 command=$2
  if [ -n "$wanted" ] && ! grep -qw -- "$name" <<<"$wanted"; then return; fi
  printf 'cd %q\nclear\nprintf "$ %%s\\n" %q\n%s\ntouch %q\nsleep 20\n' "$place" "$command" "$command" "$work/ready" >"$work/run"
  rm -f "$work/ready"
  xterm -fa 'DejaVu Sans Mono' -fs 11 -geometry 141x42+0+0 -bg '#fbfaf7' -fg '#22282d' -e bash "$work/run" 2>/dev/null &
  local terminal=$!
  for _ in $(seq 100); do [ -e "$work/ready" ] && break; sleep 0.1; done
  sleep 0.7
  import -window root "$here/$name.png"
  kill "$terminal" 2>/dev/null || true
  wait "$terminal" 2>/dev/null || true
}

wanted=$*
place=$story
shot survey "kanon survey station"
shot check "kanon check oskar station wren"
shot compare "kanon compare canon station mara oskar wren tove"
shot diagnose "kanon diagnose --client mara --server-log this-morning.log; kanon diagnose --client oskar --server-log this-morning.log --client-log oskar.log --reply"
shot align "kanon align oskar --yes"
kanon -C "$story" undo oskar >/dev/null 2>&1 || true
kanon align wren --yes >/dev/null
kanon align tove --yes >/dev/null
shot history "kanon status; kanon history; kanon history --canons"

# For the players: a release on a web server, a new player who follows it, and the page.
kanon align station --yes >/dev/null
coproc web { kanon standin shop "$story/site"; }
read -r port <&"${web[0]}"
# A path that reads the same each time.
games=/tmp/games
[ ! -e "$games" ] || { echo "$games is there already; move it away first" >&2; exit 2; }
trap 'kill $xvfb 2>/dev/null; rm -rf "$work" "$games"' EXIT
mkdir -p site "$work/programs" "$games/juno/engine" "$games/juno/mods"
cp mara/engine/* "$games/juno/engine/"
cp mara/mods/aurora-core-* mara/mods/compass-hud-* mara/mods/drift-radio-* "$games/juno/mods/"
cp "$bin/kanon" "$work/programs/"
printf '\n[release]\nzip = true\n' >>kanon.toml
kanon publish site --address "http://127.0.0.1:$port/" --programs "$work/programs" >/dev/null
cp site/ready/join-linux "$games/join-linux.program"
chmod +x "$games/join-linux.program"
# A player's double click, typed at as a player types.
cat >"$games/join-linux" <<'PLAYER'
cd juno
(sleep 1.5; printf '1\n'; sleep 1.5; printf 'y\n'; sleep 2; printf '\n') | KANON_LANGUAGE=en script -qec ../join-linux.program /dev/null | sed -u 's/.*\x1b\[2K//'
printf '\n$ ./join-linux\n'
(sleep 1.5; printf '3\n'; sleep 1; printf '\n'; sleep 1; printf '\n') | KANON_LANGUAGE=de script -qec ../join-linux.program /dev/null
PLAYER
chmod +x "$games/join-linux"
place=$games
shot follow "./join-linux"
place=$story
page() { # name, width, height, page
  if [ -n "$wanted" ] && ! grep -qw -- "$1" <<<"$wanted"; then return; fi
  chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --hide-scrollbars \
    --user-data-dir="$work/chromium" --window-size="$2,$3" --screenshot="$here/$1.png" "file://$4" >/dev/null 2>&1
}
kanon handout --address https://mods.example/longnight/ >/dev/null
page handout 1280 800 "$story/handout.html"
page handout-phone 390 844 "$story/handout.html"

# The whole story on one page, with a night in which somebody was at the station.
kanon -C "$demo" check >/dev/null || true
(cd "$demo" && kanon report >/dev/null)
page report 1280 800 "$demo/report.html"
place=$demo
sed -i 's|^at = "station"|at = "station"\nlog = "../tonight.log"|' "$demo/kanon.toml"
printf '2026-11-27 02:59:00 gate: Tove left\n' >"$demo/tonight.log"
kanon -C "$demo" watch --once -q >/dev/null || true
rm "$demo"/station/mods/drift-radio-*
printf 'edited' >>"$demo"/station/mods/snowtrack-*
{
  printf '2026-11-27 03:00:00 boot: Polarspur station\n2026-11-27 03:00:41 gate: open on port 4100\n'
  printf '2026-11-27 07:10:00 gate: Mara is at the door\n2026-11-27 07:10:00 gate: Mara has snowtrack 3.2.1, this station has 3.3.0\n2026-11-27 07:10:00 gate: turned Mara away\n'
} >>"$demo/tonight.log"
shot watch "kanon watch --once; kanon watch --once"

place=$demo
{
  printf '06:00:00 boot: Polarspur station\n06:00:04 mods: woke snowtrack 3.2.1\n06:00:30 gate: open on port 4100\n06:00:41 world: thawing\n'
  for minute in $(seq 10 58); do
    printf '07:%s:00 stove: burns %s MiB\n' "$minute" $((600 + 6 * minute))
    for beat in $(seq $((minute % 13))); do printf '07:%s:%02d clock: %s ms behind, waiting for snowtrack\n' "$minute" "$beat" $((90 + 7 * minute)); done
  done
} >"$demo/last-night.log"
shot rehearse "kanon rehearse attic -y --settle 0.2; kanon isolate attic -y --settle 0.2 -q; kanon health last-night.log"
rm "$demo/ashmere.rulebook.toml"
shot learn "kanon learn ashmere/server --client ashmere/client -o ashmere.rulebook.toml --game 'Ashmere Reach'"
shot rulebook "kanon rulebook check railway.rulebook.toml --against railway/server --mod peat-works"

# The hall on the reach, as it was when somebody had been at it by hand.
place=$demo/reach
kanon -C "$place" undo hall >/dev/null
shot hall "kanon check hall"
shot keys "kanon keys; kanon line hall; kanon line rowan"

# An evening on the reach, with its shop open.
place=$work/reach
kanon standin layout "$root/demo/ashmere/evening.tree" "$place"
cp "$root/demo/ashmere/evening.rulebook.toml" "$place/reach.rulebook.toml"
kanon -C "$place" catalogue shop --rulebook reach.rulebook.toml >/dev/null || true
coproc shop { kanon standin shop "$place/shop"; }
read -r port <&"${shop[0]}"
kanon -C "$place" init --name "Low Water" --rulebook reach.rulebook.toml --server hall --client rowan --source "shop=http://127.0.0.1:$port/" >/dev/null
kanon -C "$place" adopt hall >/dev/null
kanon -C "$place" seal >/dev/null
shot renew "kanon renew --preview; kanon renew --game 2.40.0 --preview"
shot take "kanon take reed-beds 'tide-gates@<1.7'; kanon take 'lantern-fish@>=0.9.3'; kanon why tide-gates"
kanon -C "$place" take tide-gates >/dev/null
kanon -C "$place" renew >/dev/null
shot seal "kanon seal --changes"
