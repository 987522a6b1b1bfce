"""A stable hash of anything made of dataclasses, mappings, arrays and plain values: the key of every cached
result.
"""

from __future__ import annotations

import dataclasses
import hashlib
from collections.abc import Mapping
from typing import Any

import numpy as np

from trasloco.scene.images import Image

_PLAIN = frozenset({int, float, bool, str, type(None)})


_FIELDS: dict[Any, tuple[tuple[str, bytes], ...]] = {}


def _fields(kind: Any) -> tuple[tuple[str, bytes], ...]:
    """Names of a dataclass's fields, and as they are hashed."""
    if kind not in _FIELDS:
        _FIELDS[kind] = tuple((field.name, field.name.encode()) for field in dataclasses.fields(kind))
    return _FIELDS[kind]


def digest(*things: Any) -> str:
    """Hex SHA-256 of the things in order; equal content gives an equal digest in any process."""
    hasher = hashlib.sha256()
    for thing in things:
        _feed(hasher, thing)
    return hasher.hexdigest()


def _feed(hasher: Any, thing: Any) -> None:
    if type(thing) in _PLAIN or isinstance(thing, bool | int | float | str):
        hasher.update(f"{type(thing).__name__}:{thing!r};".encode())
    elif isinstance(thing, bytes | memoryview):
        hasher.update(b"b%d:" % len(thing))
        hasher.update(thing)
    elif isinstance(thing, np.ndarray):
        hasher.update(f"a{thing.dtype.str}{thing.shape}:".encode())
        hasher.update(np.ascontiguousarray(thing).data)
    elif isinstance(thing, np.generic):
        _feed(hasher, thing.item())
    elif isinstance(thing, Image):
        hasher.update(f"image:{thing.id}|{thing.name}|{thing.path}|{thing.problem}|{thing.digest};".encode())
    elif type(thing) is dict or isinstance(thing, Mapping):
        hasher.update(b"{")
        for key in thing:
            _feed(hasher, key)
            _feed(hasher, thing[key])
        hasher.update(b"}")
    elif isinstance(thing, list | tuple):
        hasher.update(b"[")
        for item in thing:
            _feed(hasher, item)
        hasher.update(b"]")
    elif isinstance(thing, set | frozenset):
        _feed(hasher, sorted(thing, key=repr))
    elif dataclasses.is_dataclass(thing):
        hasher.update(f"<{type(thing).__name__}".encode())
        for name, written in _fields(thing.__class__):
            hasher.update(written)
            _feed(hasher, getattr(thing, name))
        hasher.update(b">")
    elif hasattr(thing, "model_dump"):
        _feed(hasher, thing.model_dump())
    else:
        raise TypeError(f"no digest for {type(thing).__name__}")
