"""Sound deliveries spoilt: bytes, numbers in text, values in JSON, and files inside archives."""

from __future__ import annotations

import copy
import io
import json
import random
import re
import struct
import zipfile
from collections.abc import Callable, Mapping
from typing import Any

Files = Mapping[str, bytes]

HOSTILE_VALUES: tuple[Any, ...] = (
    None, True, -1, 0, 1, 255, 65536, 2**27, 2**31, 2**53, 10**21, -(10**21), 1e-300, 1e308, -1e308, 0.5, "", "x",
    "../../etc/passwd", "\u202eright\nleft\x00", "x" * 100_000, [], {}, [[]], [None], [0, 0, 0], [1e308] * 16,
)  # fmt: skip
HOSTILE_NUMBERS = (
    b"0", b"-1", b"nan", b"inf", b"-inf", b"1e999", b"1e308", b"-1e308", b"1e-308", b"9" * 400, b"2147483648",
    b"4294967296", b"134217728", b"x", b"", b"0x10", b"1,5", b"999999999999999999999",
)  # fmt: skip
_NUMBER = re.compile(rb"-?\d+\.?\d*(?:[eE][-+]?\d+)?")


def spoilt(files: Files, rng: random.Random) -> dict[str, bytes]:
    """The delivery with its first file spoilt in one of the ways that fit it."""
    first = next(iter(files))
    data = files[first]
    ways: list[Callable[[bytes, random.Random], bytes]] = [spoilt_bytes]
    if data[:4] == b"glTF" or first.endswith(".gltf"):
        ways += [spoilt_json] * 3
    elif data[:4] == b"PK\x03\x04":
        ways += [spoilt_inside] * 3
    elif _is_text(data):
        ways += [spoilt_text] * 2
    return {**files, first: rng.choice(ways)(data, rng)}


def spoilt_bytes(data: bytes, rng: random.Random) -> bytes:
    """One to eight faults: cut, flipped, doubled, overwritten, or numbers made enormous."""
    made = bytearray(data)
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(max(len(made), 1))
        kind = rng.randrange(6)
        if kind == 0 and rng.random() < 0.3:
            del made[at:]
        elif kind == 1 and made:
            made[min(at, len(made) - 1)] ^= 1 << rng.randrange(8)
        elif kind == 2:
            made[at:at] = made[at : at + rng.randint(1, 64)]
        elif kind == 3:
            made[at : at + 4] = rng.choice((b"\xff" * 4, bytes(4), b"\xff\xff\xff\x7f", b"\0\0\x80\x7f"))
        elif kind == 4:
            made[at : at + rng.randint(1, 16)] = rng.randbytes(rng.randint(1, 16))
        else:
            made[at : at + 1] = rng.choice((*HOSTILE_NUMBERS, b'"', b"<", b"{", b"@"))
    return bytes(made)


def spoilt_text(data: bytes, rng: random.Random) -> bytes:
    """Numbers made hostile; lines left out, doubled, or swapped."""
    for _ in range(rng.randint(1, 4)):
        kind = rng.randrange(4)
        if kind < 2:
            numbers = list(_NUMBER.finditer(data))
            if numbers:
                found = rng.choice(numbers)
                data = data[: found.start()] + rng.choice(HOSTILE_NUMBERS) + data[found.end() :]
            continue
        lines = data.split(b"\n")
        at, other = rng.randrange(len(lines)), rng.randrange(len(lines))
        if kind == 2:
            lines[at : at + 1] = [lines[at]] * rng.choice((0, 2, 2000))
        else:
            lines[at], lines[other] = lines[other], lines[at]
        data = b"\n".join(lines)
    return data


def spoilt_json(data: bytes, rng: random.Random) -> bytes:
    """One to four values of a glTF document made hostile, left out or doubled; the container stays sound."""
    packed = data[:4] == b"glTF"
    length = struct.unpack("<I", data[12:16])[0] if packed else 0
    document = json.loads(data[20 : 20 + length] if packed else data)
    for _ in range(rng.randint(1, 4)):
        _spoil_value(document, rng)
    text = _deep(json.dumps(document).encode(), rng)
    if not packed:
        return text
    text += b" " * (-len(text) % 4)
    rest = data[20 + length :]
    head = b"glTF" + struct.pack("<II", 2, 20 + len(text) + len(rest))
    return head + struct.pack("<I", len(text)) + b"JSON" + text + rest


def _spoil_value(document: Any, rng: random.Random) -> None:
    held, key = None, None
    one = document
    while isinstance(one, dict | list) and one:
        keys = list(one) if isinstance(one, dict) else list(range(len(one)))
        held, key = one, rng.choice(keys)
        one = held[key]
        if rng.random() < 0.15:
            break
    if held is None:
        return
    kind = rng.randrange(5)
    if kind == 0:
        del held[key]
    elif kind == 1 and isinstance(held, list):
        held.extend([held[key]] * rng.choice((1, 3, 300)))
    elif kind == 2 and isinstance(held[key], int | float) and not isinstance(held[key], bool):
        held[key] = held[key] * rng.choice((-1, 2, 1000, 1e9)) + rng.choice((-1, 0, 1))
    else:
        held[key] = copy.deepcopy(rng.choice(HOSTILE_VALUES))  # each case its own, to be spoilt further


def _deep(text: bytes, rng: random.Random) -> bytes:
    """Now and then a document nested beyond reason."""
    if rng.random() < 0.97:
        return text
    depth = rng.choice((300, 900, 20_000))
    return text[:-1] + b', "extras": ' + b"[" * depth + b"]" * depth + b"}"


def spoilt_inside(data: bytes, rng: random.Random) -> bytes:
    """One file of an archive spoilt, or its name."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        held = {name: archive.read(name) for name in archive.namelist()}
    name = rng.choice(list(held))
    if rng.random() < 0.2:
        held[rng.choice(("../out", "a/../../b", "x" * 300, "con\x01trol", name.upper()))] = held.pop(name)
    else:
        held[name] = (spoilt_text if _is_text(held[name]) else spoilt_bytes)(held[name], rng)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", rng.choice((zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED))) as archive:
        for one, content in held.items():
            archive.writestr(one, content)
    return out.getvalue()


def _is_text(data: bytes) -> bool:
    return b"\0" not in data[:512] and data[:1].isascii()
