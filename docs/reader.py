#!/usr/bin/env python3
"""Prints any save of format 1 as JSON, written from docs/save-format.md alone: python3 docs/reader.py FILE

Needs cbor2 and blake3, and zstandard for packed areas. Takes the last state whose digests all match. Exit code 1 if there is none.
"""

import io
import json
import struct
import sys

import cbor2
from blake3 import blake3

MARK = bytes.fromhex("db6b65626c696e1a0a")
# Typed arrays (RFC 8746), little endian.
TYPED = {64: "B", 71: "Q", 79: "q", 85: "f", 86: "d"}
FOOT_MARK = b"kebfoot\n"


class Damaged(Exception):
    pass


def digest(data):
    return blake3(data).digest()


def array_at(data, offset, mark):
    """Returns the items of the array after a mark, each with its start, and the end of the last."""
    start = offset + len(mark)
    if data[offset:start] != mark or not 0x80 <= int.from_bytes(data[start:start + 1], "big") < 0x98:
        raise Damaged(f"byte {offset}: expected {mark.hex()} and an array")
    stream = io.BytesIO(data)
    stream.seek(start + 1)
    items, places = [], []
    try:
        for _ in range(data[start] - 0x80):
            places.append(stream.tell())
            items.append(cbor2.CBORDecoder(stream).decode())
    except Exception as error:
        raise Damaged(f"byte {places[-1]}: {error}") from error
    return items, places + [stream.tell()]


def check_digest(data, offset, place, stored):
    """A digest covers all bytes of its item before it."""
    if digest(data[offset:place]) != stored:
        raise Damaged(f"byte {place}: the digest does not hold")


def header(data):
    items, places = array_at(data, 0, b"\xd9\xd9\xf7")
    check_digest(data, 0, places[-2], items[-1])
    if items[0] != "keblin" or items[1] != 1:
        raise Damaged(f"byte 0: {items[0]}, format {items[1]}")
    return items


def block(data, offset):
    items, places = array_at(data, offset, MARK)
    if len(items) < 4:
        raise Damaged(f"byte {offset}: not a block")
    word, mandatory, content, stored, *after = items
    check_digest(data, offset, places[3], stored)
    return {"word": word, "mandatory": mandatory, "content": content, "digest": stored, "after": after,
            "digest_at": places[3], "end": places[-1]}


def state(data, head, offset):
    """Returns the state at an offset with its sections, if everything that belongs to it is intact."""
    found = block(data, offset)
    if found["word"] != "state":
        raise Damaged(f"byte {offset}: not a state")
    number, version, fingerprint, saved_at, cause, edited, summary, table, predecessors, own = found["content"]
    seal, foot = found["after"]
    check = digest(data[found["digest_at"]:found["end"] - 34])[:8]
    length = found["end"] - offset
    if own != offset or foot != FOOT_MARK + length.to_bytes(8, "big") + number.to_bytes(8, "big") + check:
        raise Damaged(f"byte {offset}: offset or foot")
    sections, free_from = {}, 0
    for name, at, length, stored in table:
        if not free_from <= at <= at + length <= offset:
            raise Damaged(f"byte {offset}: a table that points to {at}")
        free_from = at + length
        if name == "header" and at == 0:
            if stored != head[-1]:
                raise Damaged("byte 0: another header")
            continue
        part = block(data, at)
        if part["end"] - at != length or part["digest"] != stored:
            raise Damaged(f"byte {at}: not what the state was saved with")
        if part["word"] == "section":
            section, codec, size, body = part["content"]
            if codec == 1:
                body = unpacked(body, size)
            if section != name or codec not in (0, 1) or size != len(body):
                raise Damaged(f"byte {at}: section {section}")
            sections[name] = cbor2.loads(body)
            if name.split(".")[0] in ("area", "entry", "checkpoint"):
                sections[name] = objects(sections[name])
        elif part["mandatory"]:
            raise Damaged(f"byte {at}: written by a later Keblin")
    return {
        "game": head[2], "created_unix_ms": head[3], "version": version, "number": number,
        "saved_at_unix_ms": saved_at, "cause": cause, "edited": edited, "sealed": seal is not None,
        "fingerprint": f"{fingerprint[0]}:{fingerprint[1][:6].hex()}", "summary": summary,
        "predecessors": len(predecessors), "sections": sections,
    }


def unpacked(body, size):
    """Returns an area that is packed with zstd."""
    import zstandard
    return zstandard.ZstdDecompressor().decompress(body, max_output_size=size)


def column(item):
    """Returns the numbers of a typed array, or the items of any other column."""
    if not isinstance(item, cbor2.CBORTag):
        return item
    kind = TYPED[item.tag]
    count = len(item.value) // struct.calcsize("<" + kind)
    return list(struct.unpack(f"<{count}{kind}", item.value))


def objects(body):
    """Returns the objects of an area, kind by kind; the bytes as they are if they belong to the game."""
    try:
        kinds = cbor2.loads(body)
        return {kind: {"ids": column(rows["ids"]), "gone": column(rows["gone"]),
                       "left": rows.get("left"),
                       "fields": {name: column(item) for name, item in rows["fields"].items()}}
                for kind, rows in kinds.items()}
    except (cbor2.CBORDecodeError, AttributeError, KeyError, TypeError, ValueError, struct.error):
        return body


def read(data):
    """Returns the last intact state: by the foot at the end, else by the marks of blocks from the back."""
    head = header(data)
    used = len(data.rstrip(b"\0"))
    # A foot ends in a part of a digest, which may end in zero bytes.
    ends = [end for end in range(used, min(used + 8, len(data)) + 1) if data[end - 32:end].startswith(FOOT_MARK)]
    data = data[:ends[0]] if ends else data
    foot = data[-32:]
    places = [len(data) - int.from_bytes(foot[8:16], "big")] if foot.startswith(FOOT_MARK) else []
    at = len(data)
    while (at := data.rfind(MARK, 0, at)) > 0:
        places.append(at)
    faults = []
    for place in places:
        try:
            return state(data, head, place)
        except (Damaged, ValueError, TypeError, cbor2.CBORDecodeError) as error:
            faults.append(error)
    raise Damaged(faults[0] if faults else "there is no intact state")


def plain(value):
    """Returns bytes as hex text and keys as text, for JSON."""
    if isinstance(value, bytes):
        return value.hex()
    if isinstance(value, dict):
        return {key if isinstance(key, str) else str(key): plain(held) for key, held in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(held) for held in value]
    return value


if __name__ == "__main__":
    try:
        with open(sys.argv[1], "rb") as file:
            print(json.dumps(plain(read(file.read())), indent=2, ensure_ascii=False))
    except (Damaged, OSError) as error:
        sys.exit(f"{sys.argv[1]}: {error}")
