"""A result as bytes: what is said of it in one piece, its arrays and files in pieces of their own (pickle,
protocol 5), so that neither writing nor reading copies them. The door to what lies on the disk for whoever keeps
results.
"""

from __future__ import annotations

import pickle
import struct
from typing import Any

from trasloco.at_rest import Bytes as Bytes
from trasloco.at_rest import mapped as mapped
from trasloco.at_rest import own as own

_MARK = b"trasloco result 1\n"
_PICKLE = b"\x80"
_STEP = 64
"""Every piece begins at a multiple: arrays are read where they lie."""


def pieces_of(made: Any) -> list[Bytes]:
    """What to write one after the other. Raises pickle.PicklingError: it holds what is of this process alone."""
    apart: list[pickle.PickleBuffer] = []
    said = pickle.dumps(made, protocol=5, buffer_callback=apart.append)
    bodies: list[Bytes] = [said, *(one.raw() for one in apart)]
    head = _MARK + struct.pack(f"<{1 + len(bodies)}Q", len(bodies), *map(len, bodies))
    pieces: list[Bytes] = []
    for one in (head, *bodies):
        pieces += [one, b"\0" * (-len(one) % _STEP)]
    return pieces


def made_of(data: memoryview) -> Any:
    """The result of such bytes, whose arrays and files stay where they lie; they can be written to where the
    bytes can. Those of earlier versions are read as well. Raises ValueError: the bytes are no result.
    """
    if data[:1] == _PICKLE:
        return pickle.loads(data)
    if data[: len(_MARK)] != _MARK:
        raise ValueError("no result of this kind")
    at = len(_MARK)
    (count,) = struct.unpack_from("<Q", data, at)
    sizes = struct.unpack_from(f"<{count}Q", data, at + 8)
    at += 8 + 8 * count
    bodies = []
    for size in sizes:
        at += -at % _STEP
        bodies.append(data[at : at + size])
        at += size
    return pickle.loads(bodies[0], buffers=bodies[1:])
