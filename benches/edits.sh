#!/usr/bin/env bash
# An alignment that edits 20 text files of 1 MiB each, of every notation, and the check before it: this build, and beside it in
# the same run another build of kanon whose path is given (benches/edits.sh OTHER_KANON). Prints seconds, mebibytes, the ratio.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet --workspace
kanon=$PWD/target/release/kanon
other=${1:-}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
make_install() {
    rm -rf "$work/game"
    mkdir -p "$work/game/hall/holds"
    for id in reed mere fogbell; do echo "$id" > "$work/game/hall/holds/$id.hold"; done
    local pad
    pad=$(head -c 200 /dev/zero | tr '\0' x)
    local rules="$work/game/g.rulebook.toml"
    cat > "$rules" <<'TOML'
format = "kanon-rulebook/1"
game   = "Ebbmoor"
[[shelf]]
name  = "holds"
holds = "files"
in    = "holds"
match = ["*.hold"]
[shelf.mod]
id = { file-name = '^(?<id>.+)\.hold$' }
TOML
    local number
    for number in 1 2 3; do
        { echo "{ \"loads\": [\"reed\"],"; for i in $(seq 4800); do echo "  \"k$i\": \"$pad\","; done; echo "  \"z\": 1 }"; } > "$work/game/hall/a$number.json"
        { echo 'loads = ["reed"]'; for i in $(seq 4800); do echo "k$i = \"$pad\" # x"; done; } > "$work/game/hall/b$number.toml"
        { printf 'loads:\n- reed\n'; for i in $(seq 4800); do echo "k$i: $pad # x"; done; } > "$work/game/hall/c$number.yaml"
        { echo '<a><loads><l>reed</l></loads>'; for i in $(seq 4500); do echo "<k>$pad</k>"; done; echo '</a>'; } > "$work/game/hall/d$number.xml"
        { printf '[Loads]\nload=reed\n[K]\n'; for i in $(seq 4800); do echo "k$i=$pad ; x"; done; } > "$work/game/hall/e$number.ini"
        { echo '#!/bin/sh'; for i in $(seq 4800); do echo "# $pad"; done; echo './hall -holds=reed -x'; } > "$work/game/hall/f$number.sh"
        cat >> "$rules" <<TOML
[[list]]
name = "a$number"
file = "a$number.json"
each = "\$.loads[*]"
[[list]]
name = "b$number"
file = "b$number.toml"
each = "\$.loads[*]"
[[list]]
name = "c$number"
file = "c$number.yaml"
each = "\$.loads[*]"
[[list]]
name = "d$number"
file = "d$number.xml"
each = "\$.a.loads[*].l[*]"
[[list]]
name = "e$number"
file = "e$number.ini"
each = "\$.Loads.load[*]"
[[list]]
name = "f$number"
file = "f$number.sh"
option = "-holds="
between = ","
TOML
    done
    for number in 1 2; do
        { echo 'reed'; for i in $(seq 5000); do echo "# $pad"; done; } > "$work/game/hall/g$number.txt"
        printf '[[list]]\nname = "g%s"\nfile = "g%s.txt"\nnotation = "lines"\n' "$number" "$number" >> "$rules"
    done
    cat > "$work/game/kanon.toml" <<'TOML'
format = "kanon/1"
name = "Ebb"
rulebook = "g.rulebook.toml"
[install.hall]
role = "server"
at = "hall"
[[mod]]
id = "reed"
[[mod]]
id = "mere"
[[mod]]
id = "fogbell"
TOML
}
TIMEFORMAT='%U %S %R'
run() {
    local title=$1 program=$2 best=999 peak=0
    for _ in 1 2 3; do
        make_install
        "$program" -C "$work/game" seal > /dev/null 2>&1
        "$program" -C "$work/game" check hall > /dev/null 2>&1 || true
        local spent
        spent=$( { /usr/bin/env bash -c "TIMEFORMAT=%R; time '$program' -C '$work/game' align hall --yes > '$work/out' 2> '$work/err'" || true; } 2>&1)
        best=$(echo "$best $spent" | awk '{ print ($1 < $2) ? $1 : $2 }')
    done
    grep -q 'in line' "$work/out" || { cat "$work/out" "$work/err"; exit 1; }
    printf '%-44s %6s s\n' "$title" "$best"
    last=$best
}
echo "20 files: $(make_install; du -ch "$work"/game/hall/*.{json,toml,yaml,xml,ini,sh,txt} | tail -1 | cut -f1), $(nproc) cores, best of 3"
run "aligned" "$kanon"
own=$last
if [ -n "$other" ]; then
    run "aligned by the other build" "$other"
    echo "$own $last" | awk '{ printf "ratio of speeds: %.2f\n", $2 / $1 }'
fi
