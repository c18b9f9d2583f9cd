#!/usr/bin/env bash
# Diagnosing on a large log with many patterns beside ripgrep with the same patterns, in one run.
#
#   benches/diagnose.sh [MIB] [PATTERNS]       1024 MiB, 200 patterns when not said
#
# Three logs: nothing in it is known but the last join; one line in a hundred is known; one in four is. A fourth, of a game whose rulebook
# says nothing of logs, is read by what it says itself; the peer counts the lines that name its mods. Each tool counts or reads from a
# warm page cache, best of three. Wants ripgrep, python3 and time (apt).
set -euo pipefail
mib=${1:-1024} patterns=${2:-200}
root=$(cd "$(dirname "$0")/.." && pwd)
profile=${KANON_PROFILE:-release}
flags=(); [ "$profile" = release ] && flags=(--release)
for tool in rg python3 /usr/bin/time; do
  command -v "$tool" >/dev/null || { echo "install first: apt-get install ripgrep python3 time" >&2; exit 2; }
done
cargo build --quiet "${flags[@]}" -p kanon --manifest-path "$root/Cargo.toml"
kanon=${CARGO_TARGET_DIR:-$root/target}/$profile/kanon
work=$(mktemp -d "${TMPDIR:-/tmp}/diagnose.XXXX")
trap 'rm -rf "$work"' EXIT

python3 - "$work" "$mib" "$patterns" <<'MAKE'
import random, re, sys
work, mib, count = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
dice = random.Random(20261127)
words = "gate rope tide lamp fog bell rail reed peat snow drift sled fish salt map hull mast keel oar buoy crane dock pier lock weir".split()
causes = ["mod-missing", "version-differs", "content-differs", "mod-extra", "mod-failed", "lag", "config-error", "mod-loaded"]
rules = ['format = "kanon-rulebook/1"', 'game = "Tallowfen"', '[[shelf]]', 'name = "loads"', 'holds = "files"', 'in = "loads"', '[shelf.mod]', "id = { file-name = '(?<id>.+)' }"]
plain = []
def rule(means, line):
    rules.extend(["[[event]]", f'means = "{means}"', f"line = '{line}'"])
    plain.append(line)
rule("join-tried", r"quay: (?<player>\S+) knocks")
rule("join-refused", r"quay: (?<player>\S+) is sent away")
shapes = [
    r"{a} {b}: (?<player>\S+) lacks (?<mod>\S+) (?<expected>\S+)",
    r"\[{a}/{b}\] could not open (?<file>\S+)",
    r"(?<mod>\S+) is {a} in {b} and wants (?<expected>[0-9.]+)",
    r"{a}\.{b} took (?<amount>\d+ ms)",
    r"(?i){a} fault {b}: (?<mod>[\w-]+)",
]
known = []
while len(plain) < count:
    a, b = dice.choice(words) + str(len(plain)), dice.choice(words)
    shape = shapes[len(plain) % len(shapes)]
    rule(dice.choice(causes), shape.format(a=a, b=b))
    line = {0: f"{a} {b}: Mara lacks snow-track 3.2", 1: f"[{a}/{b}] could not open fog.load", 2: f"fog is {a} in {b} and wants 1.2",
            3: f"{a}.{b} took 240 ms", 4: f"{a} FAULT {b}: fog-horn"}[shapes.index(shape)]
    known.append(line)
open(f"{work}/rulebook.toml", "w").write("\n".join(rules) + "\n")
open(f"{work}/patterns", "w").write("\n".join(re.sub(r"\(\?<\w+>", "(?:", p) for p in plain) + "\n")
def idle():
    return f"worker {dice.randrange(99)} {dice.choice(words)} {dice.choice(words)} at {dice.randrange(10**6)},{dice.randrange(10**6)} state={dice.choice(words)} ok"
# A piece of a few MiB is written again and again: what is measured is the search.
for name, share in (("quiet", 0.0), ("usual", 0.01), ("busy", 0.25)):
    lines = []
    size = 0
    while size < 8 << 20:
        line = f"[06:{len(lines) // 60 % 60:02}:{len(lines) % 60:02}] " + (dice.choice(known) if dice.random() < share else idle()) + "\n"
        lines.append(line)
        size += len(line)
    piece = "".join(lines).encode()
    with open(f"{work}/{name}.log", "wb") as log:
        for _ in range(max(1, mib // 8)):
            log.write(piece)
        log.write(b"[07:00:00] quay: Mara knocks\n[07:00:01] quay: Mara is sent away\n")
# A voice that nobody described, with forty mods that it lists as it starts.
mods = [f"{a}-{b}" for a in words[:8] for b in words[8:13]]
open(f"{work}/bare.toml", "w").write('format = "kanon-rulebook/1"\ngame = "Tallowfen"\n[[shelf]]\nname = "loads"\nholds = "files"\nin = "loads"\n[shelf.mod]\nid = { file-name = \'(?<id>.+)\' }\n')
open(f"{work}/names", "w").write("\n".join(mods) + "\n")
lines, size = [], 0
while size < 8 << 20:
    guest, stamp = dice.choice(["osier", "mallow", "rowan", "juniper"]), f"[06:{len(lines) // 60 % 60:02}:{len(lines) % 60:02}] "
    share = dice.random()
    told = idle() if share < 0.9 else f"{dice.choice(mods)}: {dice.randrange(9)} things moved" if share < 0.97 else f"guest {guest} rings"
    lines.append(stamp + told + "\n")
    size += len(lines[-1])
piece = "".join(lines).encode()
with open(f"{work}/unknown.log", "wb") as log:
    log.write("".join(f"[05:00:00] stowed {mod} 1.{at}\n" for at, mod in enumerate(mods)).encode())
    for _ in range(max(1, mib // 8)):
        log.write(piece)
    log.write(f"[07:00:00] guest osier rings\n[07:00:01] guest osier lacks {mods[3]} 1.3\n[07:00:02] guest osier is sent away\n".encode())
MAKE

seconds() { local from=$EPOCHREALTIME; "$@" >"$work/said" 2>&1 || [ $? -eq 1 ] || { head -c 2000 "$work/said" >&2; exit 1; }; echo "$EPOCHREALTIME $from" | awk '{printf "%.3f", $1 - $2}'; }
best() { local one least=999; for _ in 1 2 3; do one=$(seconds "$@"); least=$(echo "$one $least" | awk '{print ($1 < $2) ? $1 : $2}'); done; echo "$least"; }
ours() { /usr/bin/time -f %M -o "$work/peak" "$kanon" -C "$work" diagnose --rulebook rulebook.toml --server-log "$1" --format json -q; }
printf '%s MiB, %s patterns, %s processors\n' "$mib" "$patterns" "$(nproc)"
for name in quiet usual busy; do
  log=$work/$name.log
  cat "$log" >/dev/null
  theirs=$(best rg -c -f "$work/patterns" "$log")
  alone=$(best rg -j1 -c -f "$work/patterns" "$log")
  kanon_s=$(best ours "$log")
  printf '%-6s kanon diagnose %7s s (%s KiB at most)   rg -c -f %7s s (-j1 %s s)   ratio of speeds %s\n' \
    "$name" "$kanon_s" "$(tail -1 "$work/peak")" "$theirs" "$alone" "$(echo "$theirs $kanon_s" | awk '{printf "%.2f", $1 / $2}')"
done
log=$work/unknown.log
cat "$log" >/dev/null
unknown() { /usr/bin/time -f %M -o "$work/peak" "$kanon" -C "$work" diagnose --rulebook bare.toml --server-log "$log" --player osier --format json -q; }
theirs=$(best rg -c -F -f "$work/names" "$log")
kanon_s=$(best unknown)
grep -q '"mod": "'"$(sed -n 4p "$work/names")"'"' "$work/said" || { echo "the first verdict is another one than it should be" >&2; exit 1; }
printf '%-6s kanon diagnose %7s s (%s KiB at most)   rg -c -F -f %7s s   ratio of times %s\n' \
  unknown "$kanon_s" "$(tail -1 "$work/peak")" "$theirs" "$(echo "$kanon_s $theirs" | awk '{printf "%.2f", $1 / $2}')"
