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


def digest(*things: Any) -> str:
    """Hex SHA-256 of the things in order; equal content gives an equal digest in any process."""
    hasher = hashlib.sha256()
    for thing in things:
        _feed(hasher, thing)
    return hasher.hexdigest()


def _feed(hasher: Any, thing: Any) -> None:
    if thing is None or isinstance(thing, bool | int | float | str):
        hasher.update(f"{type(thing).__name__}:{thing!r};".encode())
    elif isinstance(thing, bytes):
        hasher.update(b"b%d:" % len(thing))
        hasher.update(thing)
    elif isinstance(thing, np.ndarray):
        hasher.update(f"a{thing.dtype.str}{thing.shape}:".encode())
        hasher.update(np.ascontiguousarray(thing).data)
    elif isinstance(thing, np.generic):
        _feed(hasher, thing.item())
    elif isinstance(thing, Image):
        hasher.update(f"image:{thing.id}|{thing.name}|{thing.path}|{thing.problem}|{thing.digest};".encode())
    elif isinstance(thing, Mapping):
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
        for item in dataclasses.fields(thing):
            hasher.update(item.name.encode())
            _feed(hasher, getattr(thing, item.name))
        hasher.update(b">")
    elif hasattr(thing, "model_dump"):
        _feed(hasher, thing.model_dump())
    else:
        raise TypeError(f"no digest for {type(thing).__name__}")
