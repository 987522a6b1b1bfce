"""What a decision may say: the kind of value each field takes, checked before anything is computed with it."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from trasloco.errors import Refused
from trasloco.scene.model import Decision


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def _flag(value: Any) -> bool:
    return isinstance(value, bool)


def _numbers(value: Any) -> bool:
    return _number(value) or (isinstance(value, list | tuple) and 0 < len(value) <= 4 and all(_number(v) for v in value))


def _pieces(value: Any) -> bool:
    return _flag(value) or (isinstance(value, list | tuple) and all(isinstance(v, int) and not isinstance(v, bool) and v >= 0 for v in value))


def _image(value: Any) -> bool:
    return value is None or isinstance(value, str) or (isinstance(value, dict) and isinstance(value.get("image"), str) and isinstance(value.get("channels") or "", str))


_FIELDS: dict[str, tuple[Callable[[Any], bool], str]] = {
    "unit_m": (lambda v: _number(v) and 0 < v <= 1e6, "a number of metres above zero"),
    "up_axis": (lambda v: v in ("X", "Y", "Z"), "X, Y or Z"),
    "accept": (_flag, "true or false"),
    "ev100": (lambda v: v is None or (_number(v) and -20 <= v <= 40), "an exposure value between -20 and 40, or nothing"),
    "relink": (lambda v: isinstance(v, str), "the id of an image"),
    "turn_faces": (_pieces, "true, or a list of piece numbers"),
    "vertex_color": (_flag, "true or false"),
    "apply_transform": (_flag, "true or false"),
    "include": (_flag, "true or false"),
    "image": (_image, "the id of an image, with its channel, or nothing"),
    "factor": (_numbers, "one to four finite numbers"),
    "alpha_mode": (lambda v: v in ("opaque", "mask", "blend"), "opaque, mask or blend"),
    "alpha_cutoff": (lambda v: _number(v) and 0 <= v <= 1, "a number from 0 to 1"),
    "double_sided": (_flag, "true or false"),
    "enabled": (_flag, "true or false"),
    "intensity": (lambda v: _number(v) and v >= 0, "a number that is not negative"),
    "turn_rad": (_number, "an angle in radians"),
    "level": (lambda v: _number(v) and v >= 0, "a number that is not negative"),
}


def check_decision(decision: Decision) -> None:
    """Nothing when the decision can be carried out.

    Raises:
        Refused: a field that nobody knows, or a value of another kind than it takes.
    """
    known = _FIELDS.get(decision.field)
    if known is None:
        raise Refused(f"There is nothing called {decision.field} to decide.", decision.target, f"Choose one of: {', '.join(_FIELDS)}.")
    fits, words = known
    if not fits(decision.value):
        raise Refused("The value is of the wrong kind.", f"{decision.target}, {decision.field}", f"Give {words}.")
