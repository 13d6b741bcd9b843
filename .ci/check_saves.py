#!/usr/bin/env python3
"""Holds the saves of the repository against readers that are not ours: docs/reader.py against `keblin show --json`,
every item against docs/save-format.cddl, every seal against another COSE library.

    .ci/check_saves.py KEBLIN SCHEMA KEY SAVE...
"""

import io
import json
import re
import subprocess
import sys
from pathlib import Path

import cbor2
from cwt import COSE, COSEKey
from pycddl import Schema

DOCS = Path(__file__).parent.parent / "docs"
CDDL = (DOCS / "save-format.cddl").read_text()
UNITS = {"h": 3_600_000_000_000, "m": 60_000_000_000, "s": 1_000_000_000, "ms": 1_000_000, "us": 1_000, "ns": 1}


def nanoseconds(text):
    """A time as people write it, `1h30m`, as nanoseconds; None if the text is no time."""
    if not re.fullmatch(r"-?((\d+(\.\d+)?)(h|ms|m|s|us|ns))+", text):
        return None
    parts = re.findall(r"(\d+)(?:\.(\d+))?(h|ms|m|s|us|ns)", text)
    total = 0
    for whole, fraction, unit in parts:
        total += int(whole) * UNITS[unit] + (int(fraction) * UNITS[unit] // 10 ** len(fraction) if fraction else 0)
    return -total if text.startswith("-") else total


def same(shown, read):
    """Whether a value of `show` is one that the reader printed; times are text there and nanoseconds here."""
    if isinstance(shown, dict) and set(shown) == {"version", "bytes"} and isinstance(read, list):
        return [shown["version"], shown["bytes"]] == read
    if isinstance(shown, dict) and isinstance(read, dict):
        return shown.keys() == read.keys() and all(same(shown[key], read[key]) for key in shown)
    if isinstance(shown, list) and isinstance(read, list):
        pairs = zip(shown, read)
        # A set is written in the order of its schema, and shown in that order too.
        return len(shown) == len(read) and all(same(one, other) for one, other in pairs)
    if isinstance(shown, str) and isinstance(read, int) and not isinstance(read, bool):
        return nanoseconds(shown) == read
    if isinstance(shown, float) and isinstance(read, float):
        return abs(shown - read) <= abs(shown) * 1e-6  # vectors are written with 32 bits
    return shown == read


def compare(keblin, schema, path, read):
    ran = subprocess.run([keblin, "show", "--json", "--schema", schema, path], capture_output=True, check=True)
    shown = json.loads(ran.stdout)
    sections = read["sections"]
    held = {**sections["profile"]["fields"], **sections["run"]["fields"]}
    visit = (sections["run"]["run"] or {}).get("visit") or {}
    # `show` prints a run as resuming will restore it: values that a death would restore are those of the copy.
    copy = visit.get("at_checkpoint") or visit.get("entry") or {}
    assert shown["fields"].keys() == held.keys(), f"{path}: fields"
    for field, value in shown["fields"].items():
        possible = [held[field], copy.get(field, held[field])]
        assert any(same(value, other) for other in possible), f"{path}: {field}: {value}, {possible}"
    for key in ["number", "created_unix_ms", "saved_at_unix_ms", "cause", "edited", "fingerprint"]:
        assert shown["save"][key] == read[key], f"{path}: {key}"
    assert (shown["game"], shown["version"]) == (read["game"], read["version"]), path
    assert same(shown["played"], sections["profile"]["played"]), f"{path}: played"
    assert shown["furthest"] == sections["profile"]["furthest"], f"{path}: furthest"
    for level, facts in sections["profile"]["levels"].items():
        # By difficulty, if facts are kept per difficulty.
        places = [(shown["levels"][level], facts)]
        if "finished" not in facts:
            places = [(shown["levels"][level][difficulty], of) for difficulty, of in facts.items()]
        for place, of in places:
            for fact in ["finished", "stars", "attempts", "deaths"]:
                assert place[fact] == of[fact], f"{path}: {level}"
    for area, kinds in shown.get("objects", {}).items():
        for kind, counts in kinds.items():
            held = [sections.get(f"{start}.{area}", {}).get(kind) for start in ["area", "checkpoint", "entry"]]
            possible = [(len(rows["ids"]), len(rows["gone"])) for rows in held if rows]
            assert (counts["objects"], counts["gone"]) in possible, f"{path}: {area}"
    if visit.get("stay") == "playing":
        assert shown["run"]["level"] == visit["level"], f"{path}: level"
        assert shown["run"]["checkpoint"] == visit["checkpoint"], f"{path}: checkpoint"
    return sum(1 for _ in held)


def items(data):
    """The items of a CBOR sequence, each as its own bytes."""
    stream, start = io.BytesIO(data), 0
    while start < len(data):
        cbor2.CBORDecoder(stream).decode()
        yield data[start:stream.tell()]
        start = stream.tell()


def validate(path, data):
    """Every item against the CDDL. What the sections hold, `cargo test` holds against the same file."""
    schema = Schema(CDDL)
    count = 0
    for item in items(data):
        schema.validate_cbor(item)
        count += 1
        # The check must be able to fail: the same item with another number of items does not pass.
        tagged = cbor2.loads(item)
        if tagged == 0:
            wrong = cbor2.dumps(1)
        else:
            values = getattr(tagged, "value", tagged)
            wrong = cbor2.dumps(cbor2.CBORTag(getattr(tagged, "tag", 55799), [*values[:2], *values[3:]]))
        try:
            schema.validate_cbor(wrong)
        except Exception:
            continue
        raise AssertionError(f"{path}: an item of another shape passes")
    return count


def check_seals(path, data, key):
    """Every seal by a COSE library: it holds with the key, over the digest of its state, and not with another."""
    count = 0
    for item in items(data):
        content = getattr(cbor2.loads(item), "value", [None])
        if content[0] != "state" or content[4] is None:
            continue
        seal = cbor2.dumps(content[4])
        right = COSEKey.from_symmetric_key(key, alg="HS256")
        assert COSE.new().decode(seal, right) == content[3], f"{path}: the seal is over something else"
        try:
            COSE.new().decode(seal, COSEKey.from_symmetric_key(b"x" * 32, alg="HS256"))
        except Exception:
            count += 1
            continue
        raise AssertionError(f"{path}: the seal holds with any key")
    return count


def main(keblin, schema, key, *saves):
    key = Path(key).read_bytes()
    values = validated = seals = 0
    for path in saves:
        data = Path(path).read_bytes()
        validated += validate(path, data)
        seals += check_seals(path, data, key)
        ran = subprocess.run([sys.executable, DOCS / "reader.py", path], capture_output=True, check=True)
        read = json.loads(ran.stdout)
        if "device" not in read["sections"]:
            values += compare(keblin, schema, path, read)
    assert values and validated and seals, "nothing was compared"
    print(f"{len(saves)} saves: {values} fields as the reader prints them, {validated} items valid, {seals} seals hold")


if __name__ == "__main__":
    main(*sys.argv[1:])
