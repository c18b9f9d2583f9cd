#!/usr/bin/env bash
# Makes what is given out: programs for Linux and Windows, completions, the manual, licences of all that is in them, a bill of
# materials, a .deb, and the sums of all of it. Into dist/, or the folder behind it. WINDOWS=no leaves Windows out; STATIC=no and
# PROFILE=release make a program for Linux that is built sooner, and wants the system's libraries.
set -euo pipefail
cd "$(dirname "$0")/.."
out=$(realpath -m "${1:-dist}")
host=x86_64-unknown-linux-gnu
version=$(cargo metadata --no-deps --format-version 1 --locked | python3 -c 'import json,sys
print(next(p["version"] for p in json.load(sys.stdin)["packages"] if p["name"] == "kanon"))')
name="kanon-$version"
rm -rf "$out"
mkdir -p "$out"

step() { printf '== %s\n' "$*" >&2; }

profile=${PROFILE:-dist}
step "the program for Linux: no library of the system's is needed to run it"
if [ "${STATIC:-yes}" = no ]; then
  cargo build --profile "$profile" -p kanon --locked
  linux="${CARGO_TARGET_DIR:-target}/$profile/kanon"
else
  RUSTFLAGS="-C target-feature=+crt-static" cargo build --profile "$profile" -p kanon --locked --target "$host"
  linux="${CARGO_TARGET_DIR:-target}/$host/$profile/kanon"
fi
if [ "${STATIC:-yes}" != no ] && ldd "$linux" 2>/dev/null | grep -q '=>'; then
  echo "the program for Linux wants libraries of the system's:" >&2
  ldd "$linux" >&2
  exit 1
fi

step "completions, the manual, licences, the bill of materials"
shared=$(mktemp -d)
mkdir -p "$shared/completions"
for shell in bash zsh fish elvish powershell; do "$linux" completions "$shell" > "$shared/completions/kanon.$shell"; done
"$linux" man "$shared/man" >/dev/null
cp README.md CHANGELOG.md LICENSE* "$shared/"
cargo metadata --format-version 1 --locked --filter-platform "$host" | python3 tools/licences.py "$shared/LICENCES.txt" "$shared/kanon.cdx.json"

step "the archive for Linux"
linux_folder="$out/$name-linux-x86_64"
mkdir -p "$linux_folder"
cp -r "$shared/." "$linux_folder/"
install -m 755 "$linux" "$linux_folder/kanon"
tar -C "$out" --sort=name --owner=0 --group=0 --numeric-owner -czf "$out/$name-linux-x86_64.tar.gz" "$name-linux-x86_64"

step "the Debian package"
if command -v cargo-deb >/dev/null; then
  # Where the package's own list looks for them.
  rm -rf target/dist-shared
  mkdir -p target/dist-shared
  cp -r "$shared/." target/dist-shared/
  install -m 755 "$linux" target/dist-shared/kanon
  cargo deb -p kanon --no-build --no-strip --output "$out/" >/dev/null
else
  echo "cargo-deb is not here (cargo install cargo-deb): no .deb is made" >&2
fi

if [ "${WINDOWS:-yes}" != no ]; then
  step "the program and the archive for Windows"
  PROFILE="$profile" tools/windows.sh program
  work=$(realpath -m "${KANON_WINDOWS:-target/windows}")
  windows_folder="$out/$name-windows-x86_64"
  mkdir -p "$windows_folder"
  cp -r "$shared/." "$windows_folder/"
  cp "$work/target/x86_64-pc-windows-gnu/$profile/kanon.exe" "$windows_folder/"
  (cd "$out" && python3 -m zipfile -c "$name-windows-x86_64.zip" "$name-windows-x86_64")
fi

step "the programs alone, for kanon publish --programs"
mkdir -p "$out/programs"
install -m 755 "$linux" "$out/programs/kanon"
if [ -n "${windows_folder:-}" ]; then cp "$windows_folder/kanon.exe" "$out/programs/"; fi

step "the sums"
rm -rf "$shared" "$out/$name"-*/
(cd "$out" && sha256sum -- *.* programs/* > SHA256SUMS && cat SHA256SUMS && ls -l . programs)
