"""The lines of an OBJ file as tables: what there are millions of is read by a kernel, what is left is words."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

NOWHERE = 2**40
"""A point that a face names and that is not there."""

_POINTS, _UVS, _NORMALS, _FACES, _CORNERS, _OTHERS = range(6)
_SHORT, _AT, _ROW = 6, 7, 8
"""Places of the counters: how many of each so far, faces too short to be read, the byte and line reached."""
_DONE, _BY_HAND = 0, 1
_TENS = 10.0 ** np.arange(23)
"""Powers of ten that a double holds exactly."""


@dataclass(frozen=True)
class Other:
    """A statement that is neither a point nor a face: its line's number and words, and how many faces,
    corners, points, UVs and normals came before it.
    """

    row: int
    words: list[str]
    faces: int
    corners: int
    counts: tuple[int, int, int]


@dataclass(frozen=True)
class Lines:
    """Everything that an OBJ file states.

    Args:
        points: (V, 6) float64, place and colour; what a line does not give is 1, and a place of fewer than
            three numbers is not finite. widths: (V,) how many numbers each line gives.
        uvs: (T, 2) float32. normals: (N, 3) float32.
        corners: (C, 3) int64, the point, UV and normal of each corner from 0; -1 where none is named,
            ``NOWHERE`` where it is not there. sizes: (F,) corners of each face.
        short: how many faces have fewer than three corners; they are not among the others.
    """

    points: npt.NDArray[np.float64]
    widths: npt.NDArray[np.uint8]
    uvs: npt.NDArray[np.float32]
    normals: npt.NDArray[np.float32]
    corners: npt.NDArray[np.int64]
    sizes: npt.NDArray[np.int64]
    short: int
    others: list[Other]


class Unreadable(ValueError):
    """A line that cannot be read: its number and why."""

    def __init__(self, row: int, why: str) -> None:
        super().__init__(why)
        self.row, self.why = row, why


def lines_of(data: bytes) -> Lines:
    """The statements of an OBJ file in UTF-8, lines ended by line feeds.

    Numbers are as exact as their nearest double to within its last place.

    Raises:
        Unreadable: a point, UV, normal or face with a word that is no number, or too few.
    """
    text = np.frombuffer(data, np.uint8)
    counts = _counted(text)
    tables = (
        np.ones((counts[_POINTS], 6)),
        np.zeros(counts[_POINTS], np.uint8),
        np.zeros((counts[_UVS], 2), np.float32),
        np.zeros((counts[_NORMALS], 3), np.float32),
        np.zeros((counts[_CORNERS], 3), np.int64),
        np.zeros(counts[_FACES], np.int64),
        np.zeros((counts[_OTHERS], 8), np.int64),
    )
    state = np.zeros(9, np.int64)
    while _filled(text, state, *tables) == _BY_HAND:
        end = data.find(b"\n", int(state[_AT]))
        end = len(data) if end < 0 else end
        try:
            _by_hand(data[int(state[_AT]) : end].decode("utf-8", "replace").split(), state, tables)
        except (ValueError, IndexError) as error:
            raise Unreadable(int(state[_ROW]), str(error)) from None
        state[_AT] = end + 1
    points, widths, uvs, normals, corners, sizes, others = tables
    words = [
        Other(
            int(row),
            data[start:stop].decode("utf-8", "replace").split(),
            int(faces),
            int(before),
            (int(v), int(vt), int(vn)),
        )
        for row, start, stop, faces, before, v, vt, vn in others[: state[_OTHERS]].tolist()
    ]
    return Lines(
        points,
        widths,
        uvs,
        normals,
        corners[: state[_CORNERS]],
        sizes[: state[_FACES]],
        int(state[_SHORT]),
        words,
    )


def corner_of(word: str, counts: tuple[int, int, int]) -> tuple[int, int, int]:
    """The point, UV and normal that a corner names, counted from 0. Raises ValueError where it is no number."""
    found = [-1, -1, -1]
    for k, field in enumerate(word.split("/")[:3]):
        if field:
            value = int(field)
            place = value - 1 if value > 0 else counts[k] + value
            found[k] = place if 0 <= place < counts[k] else NOWHERE
    return found[0], found[1], found[2]


def _by_hand(words: list[str], state: npt.NDArray[np.int64], tables: tuple[Any, ...]) -> None:
    """A line of numbers that the kernel does not know how to read, as Python reads them."""
    points, widths, uvs, normals, corners, sizes, _ = tables
    if words[0] == "v":
        place = [float(word) for word in words[1:7]]
        points[state[_POINTS], : len(place)] = place if len(place) >= 3 else math.nan
        widths[state[_POINTS]] = len(place)
        state[_POINTS] += 1
    elif words[0] == "vt":
        uvs[state[_UVS]] = float(words[1]), float(words[2]) if len(words) > 2 else 0.0
        state[_UVS] += 1
    elif words[0] == "vn":
        normals[state[_NORMALS]] = float(words[1]), float(words[2]), float(words[3])
        state[_NORMALS] += 1
    elif len(words) < 4:
        state[_SHORT] += 1
    else:
        counts = int(state[_POINTS]), int(state[_UVS]), int(state[_NORMALS])
        named = [corner_of(word, counts) for word in words[1:]]
        corners[state[_CORNERS] : state[_CORNERS] + len(named)] = named
        sizes[state[_FACES]] = len(named)
        state[_CORNERS] += len(named)
        state[_FACES] += 1


_LINE_FEED, _HASH, _SLASH, _DOT, _PLUS, _MINUS, _ZERO, _NINE = 10, 35, 47, 46, 43, 45, 48, 57
_V, _T, _N, _F, _E, _CAPITAL_E = 118, 116, 110, 102, 101, 69
_KIND_OTHER = -1


@njit(nogil=True)
def _word(text: Any, at: int) -> Any:
    """Where the next word of a line begins and ends; both at the line's end where there is none."""
    while at < len(text) and (text[at] == 32 or (9 <= text[at] <= 13 and text[at] != _LINE_FEED)):
        at += 1
    end = at
    while end < len(text) and not (text[end] == 32 or 9 <= text[end] <= 13):
        end += 1
    return at, end


@njit(nogil=True)
def _kind(text: Any, start: int, end: int) -> int:
    """What a line states, by its first word."""
    if end - start == 1 and text[start] == _V:
        return _POINTS
    if end - start == 1 and text[start] == _F:
        return _FACES
    if end - start == 2 and text[start] == _V and text[start + 1] == _T:
        return _UVS
    if end - start == 2 and text[start] == _V and text[start + 1] == _N:
        return _NORMALS
    return _KIND_OTHER


@njit(nogil=True)
def _line_end(text: Any, at: int) -> int:
    while at < len(text) and text[at] != _LINE_FEED:
        at += 1
    return at


@njit(nogil=True)
def _counted(text: Any) -> Any:
    """How many points, UVs, normals, faces, corners and other statements there can be."""
    counts = np.zeros(6, np.int64)
    at = 0
    while at < len(text):
        start, end = _word(text, at)
        kind = _kind(text, start, end)
        if kind >= 0:
            counts[kind] += 1
        elif end > start and text[start] != _HASH:
            counts[_OTHERS] += 1
        if kind == _FACES:
            start, end = _word(text, end)
            while end > start:
                counts[_CORNERS] += 1
                start, end = _word(text, end)
        at = _line_end(text, end) + 1
    return counts


@njit(nogil=True)
def _number(text: Any, at: int, end: int) -> Any:
    """A decimal number, and whether the word is one."""
    negative = text[at] == _MINUS
    if text[at] == _MINUS or text[at] == _PLUS:
        at += 1
    digits, tens, seen, fraction = np.uint64(0), 0, 0, False
    while at < end and (_ZERO <= text[at] <= _NINE or (text[at] == _DOT and not fraction)):
        if text[at] == _DOT:
            fraction = True
        else:
            if digits < np.uint64(10) ** np.uint64(17):
                digits = digits * np.uint64(10) + np.uint64(text[at] - _ZERO)
                tens -= fraction
            else:
                tens += not fraction
            seen += 1
        at += 1
    if seen == 0:
        return 0.0, False
    if at < end and (text[at] == _E or text[at] == _CAPITAL_E):
        power, sound = _whole(text, at + 1, end)
        if not sound or abs(power) > 400:
            return 0.0, False
        tens += power
        at = end
    value = float(digits)
    while tens > 0 and value < 1e300:
        step = min(tens, 22)
        value *= _TENS[step]
        tens -= step
    while tens < 0 and value > 0:
        step = min(-tens, 22)
        value /= _TENS[step]
        tens += step
    return -value if negative else value, at == end


@njit(nogil=True)
def _whole(text: Any, at: int, end: int) -> Any:
    """A whole number, and whether the word is one."""
    negative = at < end and text[at] == _MINUS
    if at < end and (text[at] == _MINUS or text[at] == _PLUS):
        at += 1
    value, sound = 0, 0 < end - at < 18
    while at < end and sound:
        sound = _ZERO <= text[at] <= _NINE
        value = value * 10 + (text[at] - _ZERO)
        at += 1
    return -value if negative else value, sound


@njit(nogil=True)
def _corner(text: Any, start: int, end: int, counts: Any, corner: Any) -> bool:
    """Write the point, UV and normal that a corner names; whether they are whole numbers."""
    at = start
    for k in range(3):
        stop = at
        while stop < end and text[stop] != _SLASH:
            stop += 1
        corner[k] = -1
        if stop > at:
            value, sound = _whole(text, at, stop)
            if not sound:
                return False
            place = value - 1 if value > 0 else counts[k] + value
            corner[k] = place if 0 <= place < counts[k] else NOWHERE
        at = min(stop + 1, end)
    return True


@njit(nogil=True)
def _filled(
    text: Any,
    state: Any,
    points: Any,
    widths: Any,
    uvs: Any,
    normals: Any,
    corners: Any,
    sizes: Any,
    others: Any,
) -> int:
    """Fill the tables from where ``state`` stands, until the end or a line that must be read by hand."""
    values = np.zeros(6)
    while state[_AT] < len(text):
        state[_ROW] += 1
        start, end = _word(text, state[_AT])
        kind = _kind(text, start, end)
        if kind == _FACES:
            size, sound = 0, True
            start, end = _word(text, end)
            while end > start and sound:
                sound = _corner(text, start, end, state, corners[state[_CORNERS] + size])
                size += 1
                start, end = _word(text, end)
            if size < 3 and end == start:
                state[_SHORT] += 1
            elif not sound:
                return _BY_HAND
            else:
                sizes[state[_FACES]] = size
                state[_FACES] += 1
                state[_CORNERS] += size
        elif kind >= 0:
            width, sound, most = 0, True, 6 if kind == _POINTS else 2 if kind == _UVS else 3
            start, end = _word(text, end)
            while end > start and sound and width < most:
                values[width], sound = _number(text, start, end)
                width += 1
                start, end = _word(text, end)
            if not sound or (kind == _UVS and width < 1) or (kind == _NORMALS and width < 3):
                return _BY_HAND
            at = state[kind]
            if kind == _POINTS:
                for k in range(width):
                    points[at, k] = values[k]
                if width < 3:
                    points[at, :3] = np.nan
                widths[at] = width
            elif kind == _UVS:
                uvs[at, 0] = values[0]
                uvs[at, 1] = values[1] if width > 1 else 0.0
            else:
                for k in range(3):
                    normals[at, k] = values[k]
            state[kind] += 1
        elif end > start and text[start] != _HASH:
            row = others[state[_OTHERS]]
            row[0], row[1], row[2] = state[_ROW], start, _line_end(text, end)
            row[3], row[4] = state[_FACES], state[_CORNERS]
            row[5], row[6], row[7] = state[_POINTS], state[_UVS], state[_NORMALS]
            state[_OTHERS] += 1
        state[_AT] = _line_end(text, end) + 1
    return _DONE
