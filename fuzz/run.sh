#!/bin/bash
# Fuzzes each target for so many seconds (600 when not said): fuzz/run.sh [SECONDS] [TARGET…]; FUZZ_SEED=1 draws the same each time.
# Wants a C++ compiler, and no other Rust than the usual one. What is found lies in fuzz/artifacts; what was learned, in fuzz/corpus.
set -euo pipefail
cd "$(dirname "$0")"
seconds=${1:-600}
shift || true
targets=("$@")
[ ${#targets[@]} -gt 0 ] || mapfile -t targets < <(basename -s .rs targets/*.rs)
coverage="-Cpasses=sancov-module -Cllvm-args=-sanitizer-coverage-level=4 -Cllvm-args=-sanitizer-coverage-inline-8bit-counters"
coverage+=" -Cllvm-args=-sanitizer-coverage-pc-table -Cllvm-args=-sanitizer-coverage-trace-compares --cfg fuzzing"
host=$(rustc -vV | sed -n 's/^host: //p')
bins=()
for target in "${targets[@]}"; do bins+=(--bin "$target"); done
# With a target said, what is built to build the rest needs no coverage.
RUSTFLAGS="$coverage" cargo build --release --locked --target "$host" "${bins[@]}"
for target in "${targets[@]}"; do
    # What has a form of its own must be whole to be read at all.
    case $target in
        archive | canon | catalogue | learning | rulebook | survey) longest=16384 ;;
        *) longest=400 ;;
    esac
    mkdir -p "corpus/$target" "artifacts/$target"
    "${CARGO_TARGET_DIR:-target}/$host/release/$target" "corpus/$target" "seeds/$target" -max_total_time="$seconds" -max_len="$longest" \
        -seed="${FUZZ_SEED:-0}" -timeout=10 -rss_limit_mb=1024 -artifact_prefix="artifacts/$target/" -print_final_stats=1
done
