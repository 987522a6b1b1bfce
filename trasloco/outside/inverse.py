"""The inverse of what numbers and places go through on their way."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from trasloco.fit.crossings import has_step
from trasloco.fit.model import Crossing
from trasloco.mends.beneath import parts_beneath
from trasloco.scene.extent import part_bounds, union_box
from trasloco.scene.model import Doubles, Scene

_STRAIGHT = 1e-3


def number_before(
    crossing: Crossing, was: tuple[float, ...], now: tuple[float, ...]
) -> tuple[list[float] | None, str]:
    """The number at the source that arrives as ``now`` where ``was`` arrived before; None with a reason where
    it cannot be known.
    """
    if has_step(crossing, "metal"):
        return (
            None,
            "Colour and metalness were computed from two colours; which one was changed is not known.",
        )
    if has_step(crossing, "fit"):
        return (
            None,
            "It was fitted, and stands for the look of several inputs of the source; change its nearest look.",
        )
    if crossing.name != crossing.landing.input and not has_step(crossing, "see_through"):
        return (
            None,
            "One number stands for several of the source there; which of them was changed is not known.",
        )
    if len(was) != len(now):
        return None, "It has another number of channels there."
    given = crossing.given
    if has_step(crossing, "see_through"):
        if given.texture is not None:
            return None, "What stays there is the opposite of an image; a number beside it has no place here."
        return [1.0 - now[0]], ""
    if given.texture is None:
        return [float(v) for v in now], ""
    if any(a == 0 for a in was):
        return None, "It was nought, so that nothing says how much more it is of the image."
    return [float(f * b / a) for f, a, b in zip(given.factor, was, now)], ""


def placing_of(scene: Scene, part: str, before: Doubles, after: Doubles) -> dict[str, Any] | None:
    """How a part (or a group with all beneath it) is moved, turned and sized about the middle of its box, so
    that its place in the world, (4, 4), becomes another one; None where that is no such change.
    """
    boxes = part_bounds(scene)
    box = boxes.get(part)
    if box is None:
        box = union_box({id: boxes[id] for id in parts_beneath(scene, part) if id in boxes})
    if box is None or abs(np.linalg.det(before[:3, :3])) < 1e-12:
        return None
    change = after @ np.linalg.inv(before)
    size = float(np.cbrt(np.linalg.det(change[:3, :3])))
    if size <= 0:
        return None
    turn = change[:3, :3] / size
    if np.abs(turn @ turn.T - np.eye(3)).max() > _STRAIGHT:
        return None
    middle = (box[0] + box[1]) / 2
    move = change[:3, :3] @ middle + change[:3, 3] - middle
    degrees = Rotation.from_matrix(turn).as_euler("xyz", degrees=True)
    found: dict[str, Any] = {"move_m": [float(v) for v in move]}
    if np.abs(degrees).max() > 1e-4:
        found["turn_deg"] = [float(v) for v in degrees]
    if abs(size - 1) > 1e-6:
        found["size"] = size
    return found
