"""A file name taken apart: words, tile, resolution, version, depth."""

from __future__ import annotations

import posixpath
import re
from dataclasses import dataclass

_SEPARATORS = re.compile(r"[\s_\-.,;+()\[\]{}#@~=]+")
_HUMPS = re.compile(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])|(?<=[A-Za-z])(?=\d)|(?<=\d)(?=[A-Z][a-z])")
_SIZES = {str(2**k) for k in range(6, 15)}
_SHORT_SIZE = re.compile(r"(?:[1248]|16)k|\d{2,5}x\d{2,5}|\d{2,5}px")
_VERSION = re.compile(r"(?:v|ver|version|rev)(\d{1,4})")
_TILE = re.compile(r"1[0-9]\d\d")
_DEPTH = re.compile(r"(?:8|16|32)(?:bit|bits|bpc)")
_ONE_WORD = {("open", "gl"), ("direct", "x")}
"""Words with a capital inside: the two names of the green conventions."""
_GREEN_SIGN = re.compile(r"(?i)(?<=[_\-. ])y([+-])(?=[_\-. ]|$)")


@dataclass(frozen=True)
class Taken:
    """A name in pieces.

    Attributes:
        words: small letters, in order, without what the other fields hold. runs: for each word, the number of
            the stretch without separators it stood in.
        tile: UDIM number, 0 for none. size: resolution as written, or empty. version: number, -1 for none.
        maybe_tile: a number that is a resolution or a tile; the neighbours tell.
    """

    words: tuple[str, ...]
    runs: tuple[int, ...]
    tile: int = 0
    size: str = ""
    version: int = -1
    maybe_tile: int = 0


def taken_apart(name: str) -> Taken:
    """A file name or path (its last part counts) in pieces."""
    stem = posixpath.splitext(posixpath.basename(name.replace("\\", "/")))[0]
    stem = _GREEN_SIGN.sub(lambda sign: " yplus" if sign[1] == "+" else " yminus", stem)
    stretches = [
        (number, piece)
        for number, run in enumerate(_SEPARATORS.split(stem))
        if run
        for piece in _split_run(run)
    ]
    pieces = [piece for _, piece in stretches]
    words: list[str] = []
    runs: list[int] = []
    tile, size, version, maybe = 0, "", -1, 0
    k = 0
    while k < len(pieces):
        low = pieces[k].lower()
        uv = _uv_tile(pieces, k)
        if uv is not None:
            tile, k = uv, k + 2
            continue
        if found := _VERSION.fullmatch(low):
            version = int(found[1])
        elif low in ("udim", "tile"):
            pass
        elif _SHORT_SIZE.fullmatch(low) or low in _SIZES:
            size = low
            if _TILE.fullmatch(low):
                maybe = int(low)
        elif _TILE.fullmatch(low) and not tile:
            tile = int(low)
        elif not _DEPTH.fullmatch(low):
            words.append(low)
            runs.append(stretches[k][0])
        k += 1
    return Taken(tuple(words), tuple(runs), tile, size, version, maybe)


def _split_run(run: str) -> list[str]:
    """A run without separators, split at capitals and before numbers, but not inside ``v02``, ``4k``, ``u1``,
    ``16bit``, ``512x512``.
    """
    if re.fullmatch(r"(?i)(?:v|ver|version|rev|u)\d+|\d+k|\d+bits?|\d+x\d+|\d+px", run):
        return [run]
    made: list[str] = []
    for piece in _HUMPS.split(run):
        if made and (
            (re.fullmatch(r"(?i)v|ver|rev|u", made[-1]) and piece.isdigit())
            or (made[-1].lower(), piece.lower()) in _ONE_WORD
        ):
            made[-1] += piece
        else:
            made.append(piece)
    return made


def _uv_tile(pieces: list[str], k: int) -> int | None:
    """A tile written as ``u1_v2``: 1001 + (u - 1) + 10 (v - 1)."""
    if (
        k + 1 < len(pieces)
        and (u := re.fullmatch(r"(?i)u(\d{1,2})", pieces[k]))
        and (v := re.fullmatch(r"(?i)v(\d{1,2})", pieces[k + 1]))
        and int(u[1]) >= 1
        and int(v[1]) >= 1
    ):
        return 1001 + (int(u[1]) - 1) + 10 * (int(v[1]) - 1)
    return None
