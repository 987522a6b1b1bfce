"""What is large lies on the disk instead of in memory: mapped, so that the system takes its pages back where it
needs room, and reads them again where somebody looks.

It lies in files without a name, in the folder for temporary ones (``TMPDIR``), and leaves with the last who
looks at it.
"""

from __future__ import annotations

import copyreg
import errno
import mmap
import tempfile
from collections.abc import Iterable, Iterator, Mapping
from pickle import PickleBuffer
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.limits import LIMITS

Bytes = bytes | memoryview
"""The bytes of a file: in memory, or mapped from the disk."""
_SMALL = 4096


class Row:
    """Arrays one after another as one, (N, *item): in memory while they are small, on the disk beyond.

    Args:
        kind: type of the items. item: shape of one. most_bytes: held in memory.
    """

    def __init__(self, kind: Any, item: tuple[int, ...] = (), most_bytes: float = float("inf")) -> None:
        self.kind, self.item, self.most_bytes = np.dtype(kind), item, most_bytes
        self.count = 0
        self._size = self.kind.itemsize * int(np.prod(item, dtype=np.int64))
        self._held: list[npt.NDArray[Any]] = []
        self._file: Any = None

    def append(self, array: npt.NDArray[Any]) -> None:
        """Put an array (n, *item) behind those that are there."""
        given = np.ascontiguousarray(array, self.kind).reshape(-1, *self.item)
        self.count += len(given)
        self._held.append(given)
        if self._file is not None or self.count * self._size > self.most_bytes:
            self._lay()

    def _lay(self) -> None:
        try:
            if self._file is None:
                self._file = tempfile.TemporaryFile()  # noqa: SIM115  (closed when its map is let go)
            for one in self._held:
                if one.size:
                    self._file.write(one.data.cast("B"))
        except OSError as error:
            raise _no_room(self.count * self._size, error) from error
        self._held.clear()

    def whole(self) -> npt.NDArray[Any]:
        """(N, *item). Nothing can be put behind it any more."""
        if self._file is None:
            held, self._held = self._held, []
            return np.concatenate([*held, np.zeros((0, *self.item), self.kind)])
        return np.frombuffer(self.as_bytes(), self.kind).reshape(-1, *self.item)

    def as_bytes(self) -> Bytes:
        """The same as bytes."""
        if self._file is None:
            held, self._held = self._held, []
            return b"".join(one.data.cast("B") for one in held if one.size)
        file, self._file = self._file, None
        with file:
            return memoryview(mapped(file))


def mapped(file: Any) -> mmap.mmap:
    """The bytes of an open file that was written, or is not written any more. What is changed in them is
    changed for this process alone. Raises Refused: its last bytes do not fit on the disk.
    """
    try:
        file.flush()
        return mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_COPY)
    except OSError as error:
        if error.errno == errno.ENOMEM:  # this process may not have so many addresses
            raise MemoryError from error
        raise _no_room(file.tell(), error) from error


def laid(pieces: Iterable[Bytes]) -> memoryview:
    """Bytes one after another, on the disk from the first on; never held together. Raises Refused: they do not
    fit on the disk.
    """
    with tempfile.TemporaryFile() as file:
        try:
            for piece in pieces:
                file.write(piece)
        except OSError as error:
            raise _no_room(file.tell(), error) from error
        return memoryview(mapped(file)) if file.tell() else memoryview(b"")


def held(files: Mapping[str, Iterable[Bytes]], size: int) -> dict[str, Bytes]:
    """Files by name, given piece by piece, of ``size`` bytes together: in memory, or all of them in one place
    on the disk where they are large.
    """
    if size <= LIMITS.held_bytes:
        return {name: b"".join(pieces) for name, pieces in files.items()}
    ends: list[int] = []

    def all_pieces() -> Iterator[Bytes]:
        at = 0
        for pieces in files.values():
            for piece in pieces:
                at += len(piece)
                yield piece
            ends.append(at)

    whole = laid(all_pieces())
    return {name: whole[start:end] for name, start, end in zip(files, [0, *ends], ends)}


def handed(data: Bytes, protocol: int) -> bytes | PickleBuffer:
    """Bytes for ``__reduce_ex__``: apart where the protocol can, so that they are never copied."""
    return PickleBuffer(data) if protocol >= 5 and len(data) >= _SMALL else bytes(data)


def taken(data: Any) -> Bytes:
    """What was handed over, again as bytes."""
    return bytes(data) if isinstance(data, bytearray) else data


copyreg.pickle(memoryview, lambda view: (memoryview, (bytes(view),)))


def map_of(thing: Bytes | npt.NDArray[Any]) -> mmap.mmap | None:
    """The map that bytes or an array lie in; None where they are in memory."""
    under: Any = thing
    while isinstance(under, np.ndarray | memoryview):
        under = under.base if isinstance(under, np.ndarray) else under.obj
    return under if isinstance(under, mmap.mmap) else None


def is_mapped(thing: Bytes | npt.NDArray[Any]) -> bool:
    """Whether bytes or an array lie on the disk and not in memory."""
    return map_of(thing) is not None


def own(part: memoryview) -> Bytes:
    """Bytes that outlive what they are a part of: where they lie on the disk, otherwise a copy of their own."""
    return part if is_mapped(part) else bytes(part)


def _no_room(size: int, error: OSError) -> Refused:
    return Refused(
        f"There is no room on the disk for {max(size >> 20, 1)} MB that are worked on ({error.strerror}).",
        tempfile.gettempdir(),
        "Make room there, or let TMPDIR name a folder on a larger disk.",
    )
