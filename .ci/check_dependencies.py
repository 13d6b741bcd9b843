"""Licences of everything that is built, and versions of what games build: nothing under a licence that a game could not
ship, and no crate twice. Needs no network: cargo knows it all once the crates are there."""

import json
import re
import subprocess
import sys

# Licences that allow a game to be released without its source. If there is a choice, one of these is enough.
FINE = {
    "MIT", "Apache-2.0", "Apache-2.0 WITH LLVM-exception", "BSD-2-Clause", "BSD-3-Clause", "ISC", "Zlib", "CC0-1.0",
    "0BSD", "BlueOak-1.0.0", "MIT-0", "Unlicense", "BSL-1.0", "Unicode-3.0", "CDLA-Permissive-2.0", "WTFPL",
}
# Crates whose manifest does not name a licence, each checked by hand.
BY_HAND = set()
# Crates that are built more than once, and why that cannot be avoided yet.
TWICE = {
    "syn": "a macro crate below `half` and `serde` is still on the version before",
}
# What a game builds: everything that these need to run.
GAMES = ["keblin"]


def is_fine(expression):
    """Whether one of the choices of an SPDX expression is fine in all its parts."""
    choices = re.split(r"\s+OR\s+|/", expression.replace("(", "").replace(")", ""))
    return any(all(part.strip() in FINE for part in choice.split(" AND ")) for choice in choices)


def closure(metadata, names):
    """The packages that some need to run, by id."""
    nodes = {node["id"]: node for node in metadata["resolve"]["nodes"]}
    ids = [package["id"] for package in metadata["packages"] if package["name"] in names]
    seen = set()
    while ids:
        one = ids.pop()
        if one in seen:
            continue
        seen.add(one)
        for dependency in nodes[one]["deps"]:
            if any(kind["kind"] in (None, "build") for kind in dependency["dep_kinds"]):
                ids.append(dependency["pkg"])
    return seen


def main():
    command = ["cargo", "metadata", "--format-version", "1", "--locked"]
    metadata = json.loads(subprocess.run(command, check=True, stdout=subprocess.PIPE).stdout)
    packages = {package["id"]: package for package in metadata["packages"]}
    faults = []
    for package in packages.values():
        licence = package["license"] or ""
        if package["source"] and package["name"] not in BY_HAND and not is_fine(licence):
            faults.append(f"{package['name']} {package['version']}: licence {licence or 'unknown'!r}")
    versions = {}
    for one in closure(metadata, GAMES):
        versions.setdefault(packages[one]["name"], set()).add(packages[one]["version"])
    for name, found in sorted(versions.items()):
        if len(found) > 1 and name not in TWICE:
            faults.append(f"{name} is built more than once: {', '.join(sorted(found))}")
    print(f"{len(packages)} packages, {len(versions)} of them for a game")
    for fault in faults:
        print(fault)
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
