"""Which file of a delivery a new one may be the next state of: saved again under another name."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterable

_STATE = re.compile(
    r"(?:[\s._-]*(?:v|ver|version|rev|copy|final|new|old|edit|export)?[\s._-]*\(?\d*\)?)+$", re.IGNORECASE
)
_EQUALS = ({".jpg", ".jpeg"}, {".tif", ".tiff"}, {".gltf", ".glb"}, {".usd", ".usda", ".usdc", ".usdz"})


def stem_without_state(path: str) -> str:
    """The name of a file without folder, ending, and what tells its state: ``Trunk_v02 final.png`` is
    ``trunk``.
    """
    stem = posixpath.splitext(posixpath.basename(path))[0]
    return _STATE.sub("", stem).casefold() or stem.casefold()


def same_kind(first: str, second: str) -> bool:
    """Whether two paths end alike, or in ways that hold the same."""
    a, b = (posixpath.splitext(path)[1].lower() for path in (first, second))
    return a == b or any(a in one and b in one for one in _EQUALS)


def predecessors(fresh: Iterable[str], before: Iterable[str]) -> dict[str, str]:
    """For files that joined a delivery, those that they may take the place of: of the same kind, called the
    same but for what tells a state. Where several are, none is told.
    """
    held = list(before)
    found: dict[str, str] = {}
    for path in fresh:
        alike = [
            old
            for old in held
            if old != path and same_kind(old, path) and stem_without_state(old) == stem_without_state(path)
        ]
        if len(alike) == 1:
            found[path] = alike[0]
    return found
