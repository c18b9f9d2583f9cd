#!/usr/bin/env bash
# Choosing releases among 2,000 mods with 20 releases each: 150 wishes that fit, a set that can't, and the catalogue
# read alone beside them in the same run (what is left is choosing). Prints seconds and lines.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet -p kanon
kanon=$PWD/target/release/kanon
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/station"
cp -r demo/polarspur/polarspur.rulebook.toml "$work/"
mkdir -p "$work/station/mods"
"$kanon" standin bulk 2000 20 "$work/catalogue.json"
cat > "$work/kanon.toml" <<TOML
format = "kanon/1"
name = "Bulk"
rulebook = "polarspur.rulebook.toml"
game-version = "1.7"

[source.bulk]
at = "catalogue.json"
TOML
# Every thirteenth mod: libraries, and mods that lean on them many steps deep.
wishes=$(seq 13 13 1950 | xargs printf 'mod-%04d ')
TIMEFORMAT=%R
run() {
    local title=$1 best=999 spent
    shift
    for _ in 1 2 3 4 5; do
        spent=$( { time "$kanon" -C "$work" "$@" > "$work/out" 2> /dev/null || true; } 2>&1)
        best=$(echo "$best $spent" | awk '{ print ($1 < $2) ? $1 : $2 }')
    done
    printf '%-46s %6s s  %4s lines\n' "$title" "$best" "$(wc -l < "$work/out")"
    cp "$work/out" "$work/out.$(echo "$title" | tr ' ' '-')"
}
echo "catalogue: $(du -h "$work/catalogue.json" | cut -f1), $(nproc) cores, best of 5"
# shellcheck disable=SC2086 # the wishes are many words
{
    run "reading the catalogue alone" take --search nothing-is-called-so
    run "150 wishes that fit" take --preview $wishes
    run "150 wishes and two that can't be together" take --preview $wishes bog-iron peat-fire
    run "one wish that can't be had" take --preview $wishes 'mod-1000@>=9'
}
cat "$work/out.150-wishes-and-two-that-can't-be-together"
"$kanon" -C "$work" take --preview $wishes > "$work/again" && cmp "$work/again" "$work/out.150-wishes-that-fit" && echo "the same set each time"
