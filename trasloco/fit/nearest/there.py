"""What a destination would be given of a material as it is copied, at the material's points, and what of its
model may change.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from trasloco.fit.crossings import as_it_lands, baked, has_step
from trasloco.fit.draft import is_default
from trasloco.fit.formulas.shine import metallic_of_specular
from trasloco.fit.model import Crossing
from trasloco.fit.nearest.model import BESIDE, BOUNDS, SURFACE, Doubles, Free, How, Model
from trasloco.fit.nearest.points import Points
from trasloco.fit.steps.metal import specular_reflectance
from trasloco.inputs.table import DRAWN, VECTORS
from trasloco.scene.model import AlphaMode, Material
from trasloco.sheets.model import Sheet


def not_arriving(crossings: Sequence[Crossing]) -> tuple[str, ...]:
    """Inputs that shape the look and do not arrive as what they are: those are what a fit is for. What says
    no more than its default loses nothing.
    """
    return tuple(
        c.name
        for c in crossings
        if c.name in DRAWN
        and c.name not in VECTORS
        and c.name not in ("height", "emission", "emission_strength")
        and (has_step(c, "see_through") or (c.mark == "lost" and not is_default(c.name, c.given)))
    )


def copied_values(material: Material, points: Points, crossings: Sequence[Crossing]) -> dict[str, Doubles]:
    """Inputs as they land (K, C), by the inputs that they land on; relief and what shines by itself are left
    out.
    """
    made: dict[str, Doubles] = {}
    for crossing in crossings:
        landing = crossing.landing
        if not landing.input or landing.input in VECTORS or landing.input.startswith("emission"):
            continue
        given = points.values.get(crossing.name)
        if has_step(crossing, "metal"):
            made[landing.input] = _by_metalness(material, points, landing.input)
        elif given is None or (landing.value and not landing.image and crossing.given.texture is None):
            value = landing.value or crossing.given.factor
            made[landing.input] = np.tile(np.array(value, np.float64), (len(points), 1))
        elif any(step.settings.get("mean") for step in crossing.steps):
            made[landing.input] = np.tile(points.shares @ given, (len(points), 1))
        else:
            made[landing.input] = np.asarray(as_it_lands(crossing, given), np.float64)
    return made


def _by_metalness(material: Material, points: Points, name: str) -> Doubles:
    made = metallic_of_specular(
        points.of("base_color"), specular_reflectance(material, points.of("specular_color"))
    )
    found = made.base_color if name == "base_color" else made.metalness
    return np.asarray(found, np.float64).reshape(len(points), -1)


def model_of(
    material: Material,
    points: Points,
    crossings: Sequence[Crossing],
    alpha_mode: AlphaMode,
    destination: Sheet,
    keep: Collection[str] = (),
) -> Model:
    """The destination's model of a material; ``keep`` names inputs that stay as they are copied."""
    missing = not_arriving(crossings)
    drawn = {
        c.landing.input for c in crossings if c.given.texture is not None or baked(c) or has_step(c, "points")
    }
    pictured = {c.landing.input for c in crossings if c.landing.image or has_step(c, "points")} & drawn
    by_points = {
        c.landing.input for c in crossings for s in c.steps if s.kind == "vertex_color" and not baked(c)
    }
    rules = destination.materials
    least_index, most_index = BOUNDS["ior"]
    free = []
    for name in (*SURFACE, *BESIDE):
        number = name in rules.inputs and rules.inputs[name].value
        wanted = name in SURFACE or any(other in missing for other in BESIDE[name])
        if name in keep or not wanted or not (number or name in pictured):
            continue
        if name == "opacity" and (alpha_mode != "blend" or "transmission" not in missing):
            continue
        if name == "metalness" and name in pictured:
            continue  # what is metal and what is not stays where it is
        if name == "ior" and "specular" in rules.inputs:
            continue  # says the same
        if (
            name == "ior"
            and not least_index <= points.of("ior").min() <= points.of("ior").max() <= most_index
        ):
            continue  # stays what no search would go to
        how: How = "gain" if name in by_points else "line" if name in pictured else "number"
        free.append(Free(name, how))
    return Model(
        copied_values(material, points, crossings),
        tuple(free),
        alpha_mode,
        material.alpha_cutoff,
        len(points),
    )
