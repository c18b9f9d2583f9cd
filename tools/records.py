#!/usr/bin/env python3
"""Holds the recorded runs of two builds against each other, test by test.

    KANON_RECORD=OLD cargo test -p kanon --test all    (on the one build)
    KANON_RECORD=NEW cargo test -p kanon --test all    (on the other)
    tools/records.py OLD NEW

What differs from run to run on one build (folders, ports, times, speeds, keys made anew) is masked. Says how many runs are
equal, and shows the others; ends with 1 where there are any.
"""

import difflib
import pathlib
import re
import sys

MASKS = [
    (r"/tmp/[^\s\"'`:;,)]*", "@TMP"),
    (r"\.tmp[A-Za-z0-9]{6}", "@TMP"),
    (r"\b(?:127\.0\.0\.1|localhost|\[::1\]):\d+", "@HOST"),
    (r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)?", "@TIME"),
    (r"\b\d{8}-\d{6}", "@STAMP"),
    (r"\d{4}-\d\d-\d\d", "@DAY"),
    (r"\b\d\d:\d\d(?::\d\d)?\b", "@CLOCK"),
    (r"\b[0-9a-f]{10,}\b", "@HEX"),
    (r"kanon:[A-Za-z0-9_+/=-]+", "@INVITE"),
    (r"\b\d+(?:\.\d+)? ?(?:ms|s|seconds?|minutes?|min|h)\b", "@SPAN"),
    (r"\b\d+(?:\.\d+)? (?:B|KiB|MiB|GiB|kB|MB|GB)(?:/s)?\b", "@SIZE"),
    (r"\bport \d+|(?<=standin client )(\S+ \S+) \d+", "port @"),
    (r"\(?process \d+", "process @"),
    # Charts lay their days out by the hour at which they are drawn.
    (r'<(?:text|polyline)[^>]*>|</text>|\d\d-\d\d @CLOCK', "@CHART"),
    (r'"(?:ready|settled|seconds|took|ms|at|since|until|memory|bytes|size|modified|took_ms|peak)": ?-?[0-9.]+', '"@": 0'),
    (r"\bpid \d+", "pid @"),
    (r"[A-Za-z0-9+/]{40,}={0,2}", "@BASE64"),
]


def masked(path):
    text = path.read_text(errors="replace")
    for pattern, mask in MASKS:
        text = re.sub(pattern, mask, text)
    return text


def by_test(folder):
    """The runs of each test, each masked; those of threads without a name are of one test called none."""
    runs = {}
    for path in sorted(folder.iterdir()):
        runs.setdefault(path.stem, []).append(masked(path))
    return runs


def main():
    old, new = (by_test(pathlib.Path(arg)) for arg in sys.argv[1:3])
    equal = total = 0
    for test in sorted(old.keys() & new.keys()):
        before, after = list(old[test]), list(new[test])
        total += len(before)
        # Threads take turns as they please: what counts is that each run of the one build is among those of the other.
        for run in old[test]:
            same = next((other for other in after if sorted(other.split()) == sorted(run.split())), None)
            if same is not None:
                before.remove(run)
                after.remove(same)
                equal += 1
        for was, now in zip(before, after):
            lines = difflib.unified_diff(was.split("\n"), now.split("\n"), lineterm="", n=0)
            print(f"== {test}", *list(lines)[2:14], sep="\n")
    print(f"{total} runs on both builds: {equal} equal, {total - equal} differ; {len(old.keys() ^ new.keys())} tests on one alone")
    return 1 if equal < total else 0


if __name__ == "__main__":
    sys.exit(main())
