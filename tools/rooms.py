"""Draws the rooms of the core and which uses which, from the sources: tools/rooms.py > docs/rooms.svg

A room stands below all that it uses. Lines that follow from others are left out.
"""

import re
import sys
from pathlib import Path

SOURCES = Path(__file__).resolve().parent.parent / "crates" / "core" / "src"
WIDTH, BOX, HIGH, GAP = 1080, 118, 34, 62


def arrows():
    used = {}
    for file in sorted(SOURCES.rglob("*.rs")):
        below = file.relative_to(SOURCES)
        room = below.parts[0].removesuffix(".rs")
        if room in ("lib", "tests") or "tests" in below.parts:
            continue
        code = file.read_text(encoding="utf-8").split("\n#[cfg(test)]\nmod tests")[0]
        code = "\n".join(line for line in code.splitlines() if not line.lstrip().startswith("//"))
        used.setdefault(room, set()).update(re.findall(r"\bcrate::(\w+)", code))
    return {room: {other for other in others if other != room} for room, others in used.items()}


def reached(used, room):
    found, next_ones = set(), list(used[room])
    while next_ones:
        other = next_ones.pop()
        if other not in found:
            found.add(other)
            next_ones.extend(used[other])
    return found


def main():
    used = arrows()
    depth = {}

    def level(room):
        if room not in depth:
            depth[room] = 1 + max((level(other) for other in used[room]), default=-1)
        return depth[room]

    for room in used:
        level(room)
    direct = {
        room: {other for other in others if not any(other in reached(used, third) for third in others - {other})}
        for room, others in used.items()
    }
    place = {}
    for rank in range(max(depth.values()) + 1):
        row = sorted(room for room in used if depth[room] == rank)
        # Under those that it uses, so that lines cross less.
        row.sort(key=lambda room: (sum(place[o][0] for o in direct[room]) / len(direct[room])) if direct[room] else 0)
        step = WIDTH / (len(row) + 1)
        for index, room in enumerate(row):
            place[room] = (step * (index + 1), 40 + rank * (HIGH + GAP))
    high = 40 + (max(depth.values()) + 1) * (HIGH + GAP)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {high}" font-family="sans-serif" font-size="15">',
        "<title>The rooms of the core: each uses those above it that a line leads to</title>",
        f'<rect width="{WIDTH}" height="{high}" fill="#fdfcf8"/>',
    ]
    for room in sorted(direct):
        x, y = place[room]
        for other in sorted(direct[room]):
            ox, oy = place[other]
            middle = (y + oy + HIGH) / 2
            out.append(
                f'<path d="M{x:.0f} {y} C{x:.0f} {middle:.0f} {ox:.0f} {middle:.0f} {ox:.0f} {oy + HIGH}" '
                'fill="none" stroke="#7a8b99" stroke-width="1.6"/>'
            )
    for room in sorted(place):
        x, y = place[room]
        out.append(
            f'<rect x="{x - BOX / 2:.0f}" y="{y}" width="{BOX}" height="{HIGH}" rx="6" fill="#e4edf2" stroke="#34515e"/>'
        )
        out.append(f'<text x="{x:.0f}" y="{y + 22}" text-anchor="middle" fill="#1c2b33">{room}</text>')
    out.append("</svg>")
    sys.stdout.write("\n".join(out) + "\n")


if __name__ == "__main__":
    main()
