#!/usr/bin/env bash
# Builds Kanon for Windows on a Debian machine, and runs it there under wine.
#
#   tools/windows.sh setup      installs what is needed
#   tools/windows.sh program    builds kanon.exe; PROFILE=dist as it is shipped
#   tools/windows.sh build      builds all that `check` runs
#   tools/windows.sh story      runs the demo with it
#   tools/windows.sh joining    lets a player get ready by the program that carries the invite
#   tools/windows.sh check      what CI runs: the story, the dialogue, and the local installs' tests
#   tools/windows.sh tests      builds and runs every test that can run there; tells how many
#
# There is no Rust for Windows to be fetched here, so its standard library is built from source, with Debian's newer compiler,
# which is unpacked beside the system's. Everything lies in $KANON_WINDOWS (target/windows when that is not set).
set -euo pipefail
cd "$(dirname "$0")/.."

work=$(realpath -m "${KANON_WINDOWS:-target/windows}")
target=x86_64-pc-windows-gnu
profile=${PROFILE:-dev}
folder=$([ "$profile" = dev ] && echo debug || echo "$profile")
built="$work/target/$target/$folder"
export WINEDEBUG=-all WINEPREFIX="$work/prefix"

say() { printf '%s\n' "$*" >&2; }

setup() {
  mkdir -p "$work"
  if ! command -v wine >/dev/null || ! command -v x86_64-w64-mingw32-gcc >/dev/null || ! command -v nasm >/dev/null; then
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends mingw-w64 nasm cmake clang libclang-dev wine wine64 >/dev/null
  fi
  if [ ! -x "$work/rust/usr/bin/rustc" ]; then
    local library packages
    library=$(apt-cache pkgnames libstd-rust-web- | grep -E '^libstd-rust-web-[0-9.]+$' | sort -V | tail -1)
    if [ -z "$library" ]; then
      say "this Debian has no package libstd-rust-web-N: its compiler is too old to build the library for Windows"
      exit 2
    fi
    packages="$work/packages"
    mkdir -p "$packages"
    (
      cd "$packages"
      apt-get download -qq rustc-web rust-web-src libstd-rust-web-dev "$library"
      # The compiler says itself which LLVM it wants.
      apt-get download -qq "$(dpkg-deb -f "$library"_*.deb Depends | grep -oE 'libllvm[0-9]+' | head -1)"
      for package in *.deb; do dpkg -x "$package" "$work/rust"; done
    )
  fi
  printf '#!/bin/sh\nexport LD_LIBRARY_PATH=%s\nexec %s "$@"\n' "$work/rust/usr/lib/x86_64-linux-gnu" "$work/rust/usr/bin/rustc" > "$work/rustc"
  chmod +x "$work/rustc"
  # Debian's wine knows no bcryptprimitives.dll, which Rust takes its random numbers from. For tests alone.
  if [ ! -f "$work/bcryptprimitives.dll" ]; then
    cat > "$work/random.c" <<'C'
#include <windows.h>
#include <ntsecapi.h>
__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE bytes, SIZE_T count) { return RtlGenRandom(bytes, (ULONG)count); }
C
    x86_64-w64-mingw32-gcc -shared -o "$work/bcryptprimitives.dll" "$work/random.c" -ladvapi32
  fi
}

# Cargo, for Windows. What asks its compiler whether there is a standard library is told so: while it is being built, nothing answers.
# Built once and tried once, the program for tests is soonest done without optimisation.
windows_cargo() {
  CARGO_INCREMENTAL=0 CARGO_PROFILE_DEV_DEBUG=false CARGO_PROFILE_DEV_OPT_LEVEL=0 RUSTC="$work/rustc" RUSTC_BOOTSTRAP=1 RUSTFLAGS="--cfg has_std" cargo "$@" --profile "$profile" --locked \
    -Zbuild-std=std,panic_abort,panic_unwind,test --target "$target" --target-dir "$work/target"
}

program() {
  windows_cargo build -p kanon
  cp "$work/bcryptprimitives.dll" "$built/"
  say "the program is $built/kanon.exe ($(du -h "$built/kanon.exe" | cut -f1))"
}

# The program and tests: of the same packages each time, or what they are built from would be built once more with other features. Tells
# the tests by name and file.
build_with_tests() {
  : > "$work/binaries.txt"
  built_tests build "$@" --bin kanon --test surveys --test alignments
  built_tests test "$@" --lib --no-run
  cp "$work/bcryptprimitives.dll" "$built/"
  cp "$work/bcryptprimitives.dll" "$built/deps/"
}

built_tests() {
  windows_cargo "$@" --message-format json-render-diagnostics |
    python3 -c 'import json, sys
for line in sys.stdin:
    said = json.loads(line)
    if said.get("executable") and said.get("profile", {}).get("test"): print(said["target"]["name"], said["executable"])' >> "$work/binaries.txt"
}

# The demo; what it leaves behind lies in $work/kept/demo.
story() {
  rm -rf "$work/kept"
  mkdir -p "$work/kept"
  (cd "$work/kept" && timeout 900 wine "$built/kanon.exe" demo --keep demo --color never 2>&1 || true) | tr -d '\r' > "$work/story.txt"
  tail -2 "$work/story.txt"
  if ! grep -qa "all [0-9]* steps came out as they should" "$work/story.txt"; then
    say "the story did not come out as it should; it is in $work/story.txt"
    tail -40 "$work/story.txt" >&2
    return 1
  fi
}

# Answers a question of the dialogue, once it was asked.
asked() {
  for _ in $(seq 60); do
    grep -qa "$1" "$work/dialogue.txt" && break
    sleep 1
  done
  sleep 1
  printf "$2"
}

# A player gets ready by the program that carries the invite, in a console of its own.
joining() {
  local folder
  if ! command -v script >/dev/null; then
    say "there is no \`script\` (util-linux) here: the dialogue of the program that carries the invite was not tried"
    return 0
  fi
  [ -d "$work/kept/demo" ] || story
  folder="$work/kept"
  rm -rf "$folder/programs" "$folder/web" "$folder/demo/mara/.kanon" "$work/dialogue.txt"
  mkdir "$folder/programs"
  cp "$built/kanon.exe" "$folder/programs/"
  (
    cd "$folder/demo"
    timeout 300 wine "$built/kanon.exe" publish ../web --address "Z:$folder/web" --programs ../programs --color never 2>&1 | tr -d '\r' || true
    cp ../web/ready/join.exe "$built/bcryptprimitives.dll" mara/
    cd mara
    (asked "Enter alone leaves" '1\r'; asked "Do this\|Press Enter" 'y\r'; asked "Press Enter" '\r'; sleep 1) |
      KANON_LANGUAGE=en timeout 180 script -qefc "wine join.exe" "$work/dialogue.txt" || true
  ) > "$work/joining.txt" 2>&1
  if ! grep -qa "You can join now" "$work/joining.txt"; then
    say "the program that carries the invite did not get a player ready; what it said is in $work/joining.txt"
    tail -30 "$work/joining.txt" >&2
    return 1
  fi
  say "the program that carries the invite got a player ready"
}

# Runs tests by name, each in the folder of its package, as cargo does.
run_tests() {
  local name folder binary
  for name in "$@"; do
    case $name in
      kanon_core) folder=crates/core ;;
      all) folder=crates/cli ;;
      *) folder=crates/io ;;
    esac
    binary=$(grep "^$name " "$work/binaries.txt" | cut -d' ' -f2-)
    say "== $name"
    (cd "$folder" && timeout "${TESTS_TIMEOUT:-1500}" wine "$binary" ${TESTS_FILTER:-} 2>&1 || true) | tr -d '\r' |
      tee -a "$work/tests.txt" | grep -aE '^test result|^test .*FAILED' || true
  done
}

# Every test that can run there. The program's are many: TESTS_FILTER names some.
tests() {
  : > "$work/tests.txt"
  build_with_tests --workspace
  built_tests test --workspace --test all --no-run
  run_tests kanon_core kanon_io surveys alignments all
  count
}

# What CI runs: the program, and the tests of local installs.
build() {
  build_with_tests -p kanon -p kanon-io
}

check() {
  : > "$work/tests.txt"
  build
  story
  joining
  run_tests kanon_io surveys alignments
  count
}

count() {
  python3 - "$work/tests.txt" <<'P'
import re, sys
text = open(sys.argv[1], errors="replace").read()
results = re.findall(r"^test result: \w+\. (\d+) passed; (\d+) failed", text, re.M)
passed, failed = (sum(int(r[at]) for r in results) for at in (0, 1))
print(f"under wine: {passed} tests passed, {failed} failed")
sys.exit(1 if failed or not passed else 0)
P
}

case "${1:-}" in
  setup) setup ;;
  program) setup; program ;;
  build) setup; build ;;
  story) story ;;
  joining) joining ;;
  check) setup; check ;;
  tests) setup; tests ;;
  *) sed -n "2,14p" "$0"; exit 2 ;;
esac
