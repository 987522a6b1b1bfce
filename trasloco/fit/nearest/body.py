"""What a body looks like as a surface, measured on the sample: light under the skin and within solid glass
comes out elsewhere, which no table of reflectance has.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.fit.nearest.surroundings import Around, three
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.render.sample import VIEW, lit_by, sample_scene
from trasloco.scene.glass import is_solid
from trasloco.scene.model import Input, Material, Scene

Doubles = npt.NDArray[np.float64]
_SIDE, _SAMPLES, _BOUNCES, _TRIES = 48, 12, 4, 4
_NEAR = 0.005


def has_inside(material: Material) -> bool:
    """Whether light goes about within it."""
    given = material.inputs.get("subsurface")
    scatters = given is not None and (given.texture is not None or given.factor[0] > 0)
    return scatters or ("transmission" in material.inputs and is_solid(material))


def mean_light(material: Material, among: Around | None = None) -> Doubles:
    """Mean radiance of the sample in a material of even values, over its surroundings, rgb in nit."""
    scene = Scene("sample", materials={material.id: replace(material, double_sided=True)})
    among = among or three()
    total = np.zeros(3)
    for k, picture in enumerate(among.pictures):
        flat = flatten(lit_by(sample_scene(scene, material.id), picture, f"light {k}"))
        made = render(flat, VIEW, Quality(_SIDE, _SIDE, _SAMPLES, _BOUNCES))
        shown = made.ids[..., 0] == flat.material_ids.index(material.id)
        total += among.shares[k] * made.radiance[shown].mean(axis=0)
    return total


def as_it_looks(material: Material, surface: Material, among: Around | None = None) -> Material:
    """A surface in place of a body, with the base colour by which the sample sends back as much light in all:
    by the rule of three, a few times over, since what lies over it sends back light as well.
    """
    aim = mean_light(material, among)
    base = np.array(surface.inputs["base_color"].factor, np.float64)
    dark = mean_light(recolored(surface, np.zeros(3)), among)
    for _ in range(_TRIES):
        now = mean_light(recolored(surface, base), among) - dark
        ratio = np.maximum(aim - dark, 1e-4) / np.maximum(now, 1e-4)
        base = np.clip(base * ratio, 0.001, 1.0)
        if np.abs(ratio - 1).max() < _NEAR:
            break
    return recolored(surface, base)


def recolored(material: Material, base: Doubles) -> Material:
    """With another base colour, linear (3,), within [0, 1]."""
    color = Input(tuple(float(v) for v in np.clip(base, 0, 1)))
    return replace(material, inputs={**material.inputs, "base_color": color})
