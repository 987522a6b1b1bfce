"""The elements of a PLY file as arrays: ASCII and both binary orders, every scalar type, lists of any length."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.limits import LIMITS

_TYPES = {
    "char": "i1",
    "int8": "i1",
    "uchar": "u1",
    "uint8": "u1",
    "short": "i2",
    "int16": "i2",
    "ushort": "u2",
    "uint16": "u2",
    "int": "i4",
    "int32": "i4",
    "uint": "u4",
    "uint32": "u4",
    "float": "f4",
    "float32": "f4",
    "double": "f8",
    "float64": "f8",
}
_AGAIN = "Export the file again."
NEEDED = frozenset({"vertex", "face", "tristrips", "edge"})
UNREADABLE = "unreadable element:"
"""How a comment begins that tells of what followed the elements asked for and could not be read."""


@dataclass
class Property:
    """``count`` is the type of a list's length, empty for a scalar."""

    name: str
    type: str
    count: str = ""


@dataclass
class Element:
    """``columns`` hold scalars (n,); ``lists`` hold (lengths (n,), values laid one after another)."""

    name: str
    size: int
    properties: list[Property] = field(default_factory=list)
    columns: dict[str, npt.NDArray[Any]] = field(default_factory=dict)
    lists: dict[str, tuple[npt.NDArray[np.int64], npt.NDArray[Any]]] = field(default_factory=dict)


def parse_ply(data: bytes, where: str) -> tuple[dict[str, Element], list[str]]:
    """Elements by name, and the comments of the header.

    Raises:
        Refused: a broken header, a count beyond the data, or data cut short.
    """
    end = data.find(b"end_header")
    newline = data.find(b"\n", end)
    if end < 0 or newline < 0 or not data.startswith(b"ply"):
        raise Refused("The header of the file is damaged.", where, _AGAIN)
    elements, comments, encoding = _header(data[:end].decode("latin-1"), where)
    body = memoryview(data)[newline + 1 :]
    for element in elements:
        fewest = element.size * len(element.properties)
        if element.size > LIMITS.vertices or (element.name in NEEDED and fewest > len(body) * 2 + 2):
            raise Refused(
                f"The file announces {element.size} {element.name} entries, more than it can hold.",
                where,
                "The file is cut short or damaged. " + _AGAIN,
            )
    if encoding == "ascii":
        read, at = _ascii_reader(body, where), 0
    else:
        read, at = _binary_reader(body, "<" if encoding == "binary_little_endian" else ">"), 0
    found: dict[str, Element] = {}
    waiting = {element.name for element in elements} & NEEDED
    for element in elements:
        try:
            at = read(element, at)
        except (Refused, ValueError, IndexError, OverflowError) as error:
            if not waiting:
                # Whatever is asked for was read; what follows and cannot be is told, and costs nothing.
                comments.append(f"{UNREADABLE} {element.name}")
                break
            if isinstance(error, Refused):
                raise
            raise Refused(
                f"The data of the file cannot be read ({error}).",
                where,
                "The file is cut short or damaged. " + _AGAIN,
            ) from None
        waiting.discard(element.name)
        found.setdefault(element.name, element)
    return found, comments


def _header(text: str, where: str) -> tuple[list[Element], list[str], str]:
    elements: list[Element] = []
    comments: list[str] = []
    encoding = ""
    for line in text.splitlines()[1:]:
        words = line.split()
        if not words:
            continue
        try:
            if words[0] == "format":
                encoding = words[1]
            elif words[0] in ("comment", "obj_info"):
                comments.append(" ".join(words[1:]))
            elif words[0] == "element":
                elements.append(Element(words[1], int(words[2])))
                if elements[-1].size < 0:
                    raise ValueError
            elif words[0] == "property":
                made = (
                    Property(words[4], _TYPES[words[3]], _TYPES[words[2]])
                    if words[1] == "list"
                    else Property(words[2], _TYPES[words[1]])
                )
                elements[-1].properties.append(made)
        except (KeyError, IndexError, ValueError):
            raise Refused(f"The header line “{line.strip()[:60]}” cannot be read.", where, _AGAIN) from None
    if encoding not in ("ascii", "binary_little_endian", "binary_big_endian"):
        raise Refused(f"The encoding {encoding or '(none)'} is not known.", where, _AGAIN)
    return elements, comments, encoding


_Reader = Callable[[Element, int], int]
"""Reads an element from where the last one ended; returns where it ends."""


def _ascii_reader(body: memoryview, where: str) -> _Reader:
    lines = bytes(body).decode("latin-1").split("\n")

    def read(element: Element, at: int) -> int:
        rows: list[str] = []
        while len(rows) < element.size:
            if at >= len(lines):
                raise Refused(
                    f"The file ends after {len(rows)} of {element.size} of {element.name}.",
                    where,
                    "The file is cut short. " + _AGAIN,
                )
            if lines[at].strip():
                rows.append(lines[at])
            at += 1
        if not element.properties:
            return at
        if all(not p.count for p in element.properties):
            table = np.array([row.split()[: len(element.properties)] for row in rows], np.float64).reshape(
                element.size, len(element.properties)
            )
            element.columns = {p.name: table[:, k] for k, p in enumerate(element.properties)}
            return at
        scalars: dict[str, list[float]] = {p.name: [] for p in element.properties if not p.count}
        lists: dict[str, tuple[list[int], list[float]]] = {
            p.name: ([], []) for p in element.properties if p.count
        }
        for row in rows:
            words = row.split()
            k = 0
            for p in element.properties:
                if p.count:
                    length = int(words[k])
                    if length < 0 or k + length > len(words) - 1:
                        raise ValueError(f"a list of {length} values in a line of {len(words)}")
                    lists[p.name][0].append(length)
                    lists[p.name][1].extend(float(w) for w in words[k + 1 : k + 1 + length])
                    k += 1 + length
                else:
                    scalars[p.name].append(float(words[k]))
                    k += 1
        element.columns = {name: np.array(values) for name, values in scalars.items()}
        element.lists = {
            name: (np.array(lengths, np.int64), np.array(values)) for name, (lengths, values) in lists.items()
        }
        return at

    return read


def _binary_reader(body: memoryview, order: str) -> _Reader:
    def read(element: Element, at: int) -> int:
        if any(p.count for p in element.properties):
            return _lists_alike(element, body, at, order) or _lists_apart(element, body, at, order)
        row = np.dtype([(f"f{k}", order + p.type) for k, p in enumerate(element.properties)])
        table = (
            np.frombuffer(body, row, element.size, at)
            if element.size and element.properties
            else np.zeros(0, row)
        )
        element.columns = {p.name: table[f"f{k}"] for k, p in enumerate(element.properties)}
        return at + row.itemsize * element.size

    return read


def _lists_alike(element: Element, body: memoryview, at: int, order: str) -> int:
    """Read all rows at once when every list is as long as in the first row; returns where they end, or 0 when
    they are not alike.
    """
    if not element.size:
        return 0
    fields: list[Any] = []
    start = at
    lengths: dict[str, int] = {}
    for k, p in enumerate(element.properties):
        if p.count:
            length = int(np.frombuffer(body, order + p.count, 1, start)[0])
            if not 0 <= length <= 4096:
                return 0
            lengths[p.name] = length
            fields += [(f"n{k}", order + p.count), (f"f{k}", order + p.type, (length,))]
            start += np.dtype(p.count).itemsize + length * np.dtype(p.type).itemsize
        else:
            fields.append((f"f{k}", order + p.type))
            start += np.dtype(p.type).itemsize
    row = np.dtype(fields)
    if at + row.itemsize * element.size > len(body):
        return 0
    table = np.frombuffer(body, row, element.size, at)
    if any((table[f"n{k}"] != lengths[p.name]).any() for k, p in enumerate(element.properties) if p.count):
        return 0
    element.columns = {p.name: table[f"f{k}"] for k, p in enumerate(element.properties) if not p.count}
    element.lists = {
        p.name: (np.full(element.size, lengths[p.name], np.int64), table[f"f{k}"].reshape(-1))
        for k, p in enumerate(element.properties)
        if p.count
    }
    return at + row.itemsize * element.size


def _lists_apart(element: Element, body: memoryview, at: int, order: str) -> int:
    columns: dict[str, list[Any]] = {p.name: [] for p in element.properties if not p.count}
    lists: dict[str, tuple[list[int], list[Any]]] = {p.name: ([], []) for p in element.properties if p.count}
    kinds = [
        (p, np.dtype(order + p.type), np.dtype(order + p.count) if p.count else None)
        for p in element.properties
    ]
    for _ in range(element.size):
        for p, kind, counted in kinds:
            if counted is None:
                columns[p.name].append(np.frombuffer(body, kind, 1, at)[0])
                at += kind.itemsize
                continue
            length = int(np.frombuffer(body, counted, 1, at)[0])
            at += counted.itemsize
            if length < 0:
                raise ValueError("a list of negative length")
            lists[p.name][0].append(length)
            lists[p.name][1].append(np.frombuffer(body, kind, length, at) if length else np.zeros(0, kind))
            at += kind.itemsize * length
    element.columns = {name: np.array(values) for name, values in columns.items()}
    element.lists = {
        name: (np.array(lengths, np.int64), np.concatenate(values) if values else np.zeros(0))
        for name, (lengths, values) in lists.items()
    }
    return at
