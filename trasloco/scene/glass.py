"""What is see-through by transmission: solid or thin, tinted by its depth or not."""

from __future__ import annotations

import math

from trasloco.scene.model import Material

WHOLE = 0.999
"""Weight from which on a material is all glass."""


def is_solid(material: Material) -> bool:
    """Whether it has an inside (a thickness, KHR_materials_volume) or is a thin sheet."""
    given = material.inputs.get("thickness")
    return given is not None and (given.texture is not None or given.factor[0] > 0)


def absorbs(material: Material) -> bool:
    """Whether light loses colour on its way through: only over a depth that is told and finite
    (KHR_materials_volume).
    """
    depth = material.inputs.get("attenuation_distance")
    return depth is not None and math.isfinite(depth.factor[0])
