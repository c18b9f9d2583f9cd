#!/usr/bin/env bash
# Verifying signed payloads beside hashing them once with the scheme's own digest, in one run.
#
#   benches/signatures.sh [MIB] [FILES]       2048 MiB in 8 payloads when not said
#
# Wants openssl (apt). The survey reads each payload twice: for its BLAKE3 digest, and for its signature; the peers read it
# once: sha512sum (what Ed25519 hashes with), one process a file, as many at once as there are processors. A second survey remembers.
set -euo pipefail
mib=${1:-2048} files=${2:-8}
root=$(cd "$(dirname "$0")/.." && pwd)
profile=${KANON_PROFILE:-release}
flags=(); [ "$profile" = release ] && flags=(--release)
cargo build --quiet "${flags[@]}" -p kanon --manifest-path "$root/Cargo.toml"
kanon=${CARGO_TARGET_DIR:-$root/target}/$profile/kanon
work=$(mktemp -d "${TMPDIR:-/tmp}/signatures.XXXX")
trap 'rm -rf "$work"' EXIT

cat >"$work/reach.rulebook.toml" <<'RULES'
format = "kanon-rulebook/1"
game   = "Ashmere Reach"
[[shelf]]
name  = "holds"
holds = "folders"
in    = "holds"
[shelf.mod]
document = { member = "hold.toml" }
id       = "$.id"
[shelf.signed]
payload   = "*.hold"
signature = "{payload}.{key}.mark"
key       = "{key}.pub"
scheme    = "ed25519"
RULES
openssl genpkey -algorithm ed25519 -out "$work/key.pem" 2>/dev/null
for n in $(seq "$files"); do
  hold=$work/hall/holds/hold-$n
  mkdir -p "$hold"
  echo "id = \"hold-$n\"" >"$hold/hold.toml"
  head -c $((mib / files))M /dev/urandom >"$hold/stock.hold"
  openssl pkey -in "$work/key.pem" -pubout -out "$hold/wright.pub"
  openssl pkeyutl -sign -rawin -inkey "$work/key.pem" -in "$hold/stock.hold" -out "$hold/stock.hold.wright.mark"
done
touch -d '1 hour ago' "$work"/hall/holds/*/*
cat "$work"/hall/holds/*/stock.hold >/dev/null

seconds() { local from=$EPOCHREALTIME; "$@" >/dev/null; echo "$EPOCHREALTIME $from" | awk '{printf "%.2f", $1 - $2}'; }
best() { local one two; one=$(seconds "$@"); two=$(seconds "$@"); echo "$one $two" | awk '{print ($1 < $2) ? $1 : $2}'; }
survey() { "$kanon" -C "$work" survey hall --rulebook reach.rulebook.toml --role server --format json -q; }
peer() { find "$work/hall" -name '*.hold' -print0 | xargs -0 -P "$(nproc)" -n 1 "$@"; }

survey | grep -c '"verdict": *"good"' | sed "s/\$/ of $files signatures are good/"
ours=$(best survey)
sed '/\[shelf.signed\]/,$d' "$work/reach.rulebook.toml" >"$work/unsigned.rulebook.toml"
bare() { "$kanon" -C "$work" survey hall --rulebook unsigned.rulebook.toml --role server --format json -q; }
plain=$(best bare)
sha512=$(best peer sha512sum)
sha256=$(best peer sha256sum)
printf '%s MiB in %s signed payloads, %s processors\n' "$mib" "$files" "$(nproc)"
printf 'kanon survey, signatures verified   %6.2f s\n' "$ours"
printf 'kanon survey, without signatures    %6.2f s\n' "$plain"
printf 'sha512sum, once                     %6.2f s   verifying costs %.2f of it\n' "$sha512" "$(echo "$ours $plain $sha512" | awk '{print ($1 - $2) / $3}')"
printf 'sha256sum, once                     %6.2f s   the whole survey is %.2f of sha512sum\n' "$sha256" "$(echo "$ours $sha512" | awk '{print $1 / $2}')"
