#!/usr/bin/env python3
"""From `cargo metadata` on standard input: the licences of all that the program is built from, as one text, and a CycloneDX bill.

Usage: licences.py LICENCES.txt BILL.cdx.json
"""

import json
import pathlib
import sys

NAMES = ("license", "licence", "copying", "notice", "copyright", "unlicense")
LONGEST = 200_000


def shipped(metadata):
    """The packages that the program is built from, without those that only tests want."""
    nodes = {node["id"]: node for node in metadata["resolve"]["nodes"]}
    packages = {package["id"]: package for package in metadata["packages"]}
    root = next(package["id"] for package in metadata["packages"] if package["name"] == "kanon")
    seen, waiting = set(), [root]
    while waiting:
        own = waiting.pop()
        if own in seen:
            continue
        seen.add(own)
        for dependency in nodes[own]["deps"]:
            if any(kind["kind"] != "dev" for kind in dependency["dep_kinds"]):
                waiting.append(dependency["pkg"])
    return sorted((packages[own] for own in seen), key=lambda package: (package["name"], package["version"]))


def texts(package):
    """The licence texts that lie beside a package."""
    folder = pathlib.Path(package["manifest_path"]).parent
    files = sorted(file for file in folder.iterdir() if file.is_file() and file.name.lower().startswith(NAMES))
    return [file.read_text(errors="replace")[:LONGEST].strip() for file in files]


def main():
    metadata = json.load(sys.stdin)
    packages = [package for package in shipped(metadata) if package["source"]]
    by_text = {}
    lacking = []
    for package in packages:
        title = f'{package["name"]} {package["version"]} ({package["license"] or "see its own file"})'
        found = texts(package)
        if not found:
            lacking.append(title)
        for text in found:
            by_text.setdefault(text, []).append(title)
    with open(sys.argv[1], "w") as out:
        out.write(f"Kanon is built from these {len(packages)} packages by others, with thanks.\n")
        for text, titles in sorted(by_text.items(), key=lambda item: item[1]):
            out.write("\n" + "=" * 100 + "\n" + "\n".join(titles) + "\n" + "-" * 100 + "\n" + text + "\n")
        if lacking:
            out.write("\n" + "=" * 100 + "\nWithout a text of their own beside them:\n" + "\n".join(lacking) + "\n")
    components = [
        {
            "type": "library",
            "name": package["name"],
            "version": package["version"],
            "purl": f'pkg:cargo/{package["name"]}@{package["version"]}',
            **({"licenses": [{"expression": package["license"].replace("/", " OR ")}]} if package["license"] else {}),
        }
        for package in packages
    ]
    own = next(package for package in metadata["packages"] if package["name"] == "kanon")
    bill = {
        "bomFormat": "CycloneDX",
        "specVersion": "1.5",
        "version": 1,
        "metadata": {"component": {"type": "application", "name": "kanon", "version": own["version"]}},
        "components": components,
    }
    pathlib.Path(sys.argv[2]).write_text(json.dumps(bill, indent=1) + "\n")


if __name__ == "__main__":
    main()
