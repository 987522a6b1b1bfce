"""Accessors of glTF 2.0 (section 3.6) as arrays: bounds checked, sparse and normalised, never reading outside
the buffer.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.at_rest import is_mapped
from trasloco.errors import Refused
from trasloco.limits import LIMITS

_TYPES: dict[int, Any] = {
    5120: np.int8,
    5121: np.uint8,
    5122: np.int16,
    5123: np.uint16,
    5125: np.uint32,
    5126: np.float32,
}
_COUNTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_AGAIN = "Export the file again."


class Accessors:
    """Reads accessors of one document from its buffers."""

    def __init__(self, document: dict[str, Any], buffers: list[memoryview], where: str) -> None:
        self.document, self.buffers, self.where = document, buffers, where
        self.unpacked: dict[int, memoryview] = {}
        self.asked = {"unbacked": 0, "decoded": 0}
        self.draco_faces: dict[int, npt.NDArray[Any]] = {}
        self.draco_attributes: dict[tuple[int, int], npt.NDArray[Any]] = {}

    def entry(self, group: str, index: Any) -> dict[str, Any]:
        """An element of a top-level array.

        Raises:
            Refused: the index leads nowhere.
        """
        items = self.document.get(group, [])
        if (
            not isinstance(index, int)
            or isinstance(index, bool)
            or not isinstance(items, list)
            or not 0 <= index < len(items)
            or not isinstance(items[index], dict)
        ):
            raise Refused(
                f"A reference to {group} number {index} leads nowhere; there are {len(items) if isinstance(items, list) else 0}.",
                self.where,
                _AGAIN,
            )
        found: dict[str, Any] = items[index]
        return found

    def view_bytes(self, index: Any) -> tuple[memoryview, int]:
        """Bytes of a buffer view and its stride (0 when tightly packed)."""
        view = self.entry("bufferViews", index)
        if index in self.unpacked:
            return self.unpacked[index], int(view.get("byteStride", 0))
        return self.slice_of(view, index), int(view.get("byteStride", 0))

    def slice_of(self, view: dict[str, Any], index: Any) -> memoryview:
        """The bytes that ``buffer``, ``byteOffset`` and ``byteLength`` of an object name."""
        number, offset, length = view.get("buffer", -1), view.get("byteOffset", 0), view.get("byteLength", 0)
        if not isinstance(number, int) or not 0 <= number < len(self.buffers):
            raise Refused(
                f"Buffer view {index} names buffer {number}, which does not exist.", self.where, _AGAIN
            )
        buffer = self.buffers[number]
        if (
            not isinstance(offset, int)
            or not isinstance(length, int)
            or offset < 0
            or length < 0
            or offset + length > len(buffer)
        ):
            raise Refused(
                f"Buffer view {index} reaches past the end of its buffer ({len(buffer)} bytes).",
                self.where,
                "The file is cut short or damaged. " + _AGAIN,
            )
        return buffer[offset : offset + length]

    def raw(self, index: Any) -> npt.NDArray[Any]:
        """(count, components) in the stored type, sparse values put in."""
        accessor = self.entry("accessors", index)
        kind, components, count = (
            _TYPES.get(accessor.get("componentType", 0)),
            _COUNTS.get(accessor.get("type", "")),
            accessor.get("count", 0),
        )
        if (
            kind is None
            or components is None
            or not isinstance(count, int)
            or not 0 <= count <= LIMITS.vertices
        ):
            raise Refused(f"Accessor {index} has an impossible type or count.", self.where, _AGAIN)
        size = count * components * np.dtype(kind).itemsize
        self._allow("decoded", size, LIMITS.decoded_bytes, index)
        if "bufferView" not in accessor:
            self._allow("unbacked", size, LIMITS.unbacked_bytes, index)
        if "bufferView" in accessor:
            data, stride = self.view_bytes(accessor["bufferView"])
            values = self._strided(
                data, accessor.get("byteOffset", 0), stride, count, components, kind, index
            )
        else:
            values = np.zeros((count, components), kind)
        if "sparse" in accessor:
            sparse = accessor["sparse"]
            number = sparse["count"]
            if not isinstance(number, int) or not 0 <= number <= count:
                raise Refused(f"Accessor {index} replaces more values than it has.", self.where, _AGAIN)
            at_view, at_stride = self.view_bytes(sparse["indices"]["bufferView"])
            at = self._strided(
                at_view,
                sparse["indices"].get("byteOffset", 0),
                at_stride,
                number,
                1,
                _TYPES[sparse["indices"]["componentType"]],
                index,
            ).reshape(-1)
            new_view, new_stride = self.view_bytes(sparse["values"]["bufferView"])
            new = self._strided(
                new_view, sparse["values"].get("byteOffset", 0), new_stride, number, components, kind, index
            )
            if number and int(at.max()) >= count:
                raise Refused(f"Accessor {index} replaces values past its end.", self.where, _AGAIN)
            values = values.copy()
            values[at] = new
        return values

    def _allow(self, what: str, size: int, most: int, index: Any) -> None:
        """Nothing is allocated before it is allowed: values asked for by all accessors together, zeros and
        sparse ones included.

        Raises:
            Refused: a document that asks for more than it may.
        """
        self.asked[what] += size
        if self.asked[what] > most:
            brought = "without bringing them" if what == "unbacked" else "in all"
            raise Refused(
                f"The file asks for more than {most >> 20} MB of values {brought} (accessor {index}).",
                self.where,
                "It is damaged, or made to do harm. " + _AGAIN,
            )

    def _strided(
        self, data: memoryview, offset: int, stride: int, count: int, components: int, kind: Any, index: Any
    ) -> npt.NDArray[Any]:
        item = components * np.dtype(kind).itemsize
        step = stride or item
        if offset < 0 or step < item or (count and offset + step * (count - 1) + item > len(data)):
            raise Refused(
                f"Accessor {index} reaches past the end of its data.",
                self.where,
                "The file is cut short or damaged. " + _AGAIN,
            )
        if count == 0:
            return np.zeros((0, components), kind)
        flat = np.frombuffer(data, np.uint8)
        rows = np.lib.stride_tricks.as_strided(flat[offset:], (count, item), (step, 1))
        if is_mapped(data) and step == item and not (flat.ctypes.data + offset) % np.dtype(kind).itemsize:
            return np.asarray(rows.reshape(-1).view(kind).reshape(count, components))
        # A copy, so that the file's bytes can be let go once everything is read.
        return np.asarray(np.array(rows, copy=True, order="C").view(kind).reshape(count, components))

    def floats(self, index: Any) -> npt.NDArray[np.float32]:
        """As float32; normalised integers by section 3.6.2.2, plain integers as their value."""
        return self.as_floats(self.raw(index), bool(self.entry("accessors", index).get("normalized", False)))

    def as_floats(self, values: npt.NDArray[Any], normalized: bool) -> npt.NDArray[np.float32]:
        """Stored values as float32 by section 3.6.2.2."""
        if values.dtype == np.float32:
            return values
        if normalized:
            top = np.float32(np.iinfo(values.dtype).max)
            return np.asarray(np.maximum(values.astype(np.float32) / top, np.float32(-1)), np.float32)
        return values.astype(np.float32)

    def integers(self, index: Any) -> npt.NDArray[np.uint32]:
        return self.raw(index).astype(np.uint32, copy=False)
