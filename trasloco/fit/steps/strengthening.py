"""The strength of a normal map written into its directions, where a destination has no number for it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.formulas import codes as do
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inputs.table import VECTORS


def _plan(draft: Draft, way: Way) -> Draft:
    texture = draft.given.texture
    wanted = draft.name in VECTORS and texture is not None and texture.strength != 1.0
    if not wanted or way.rules.relief_strength == "beside" or texture is None:
        return draft
    said = f"its strength of {texture.strength:.3g} written in"
    return draft.then(Step("strengthen", said, {"relief": texture.strength}))


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    return _steeper(plane, step.settings["relief"])


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane | None:
    return _steeper(plane, 1 / step.settings["relief"]) if step.settings["relief"] > 0 else None


def _steeper(plane: Plane, strength: float) -> Plane:
    """x and y times the strength, made unit again (glTF 2.0, section 3.9.3)."""
    directions = do.decode(plane.texels, "linear").astype(np.float32) * 2 - 1
    directions[..., :2] *= np.float32(strength)
    length = np.linalg.norm(directions, axis=-1, keepdims=True)
    return replace(plane, texels=np.asarray(directions / np.maximum(length, 1e-6) * 0.5 + 0.5, np.float32))


KIND = Kind("strengthen", plan=_plan, apply=_apply, undo=_undo)
