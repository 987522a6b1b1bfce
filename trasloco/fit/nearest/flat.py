"""What happens within a body, as a surface: so that it has a place in a table of reflectance."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.nearest.points import Points
from trasloco.fit.nearest.within import deep_albedo, scattered_share
from trasloco.inputs.table import INPUTS
from trasloco.scene.glass import absorbs, is_solid
from trasloco.scene.model import Input, Material


def materials_at(material: Material, points: Points) -> list[Material]:
    """A material at each of its points, of even values."""
    return [
        replace(
            material,
            id=f"point:{k}",
            inputs={name: Input(tuple(float(v) for v in held[k])) for name, held in points.values.items()},
            back=None,
        )
        for k in range(len(points))
    ]


def as_surface(material: Material) -> Material:
    """A material of even values without an inside.

    Light under the skin comes out where it went in: its colour is the colour of a deep body under even
    light (OpenPBR Surface 1.1, subsurface: the colour is the albedo after all scattering), so it stands in
    as a dull colour. A solid that lets light through is a sheet with the colour that its thickness takes
    (Beer and Lambert, KHR_materials_volume); what it scatters within makes it dull.
    """
    inputs = dict(material.inputs)

    def given(name: str) -> tuple[float, ...]:
        return inputs[name].factor if name in inputs else INPUTS[name].default

    weight = min(max(given("subsurface")[0], 0.0), 1.0)
    base = given("base_color")
    if weight > 0:
        under = given("subsurface_color")
        base = tuple(b * (1 - weight) + u * weight for b, u in zip(base, under, strict=True))
        inputs.pop("subsurface")
    if is_solid(material) and "transmission" in inputs:
        if absorbs(material):
            deep = given("thickness")[0] / max(given("attenuation_distance")[0], 1e-9)
            left, scatter = (np.array(given(name)) for name in ("attenuation_color", "transmission_scatter"))
            on = np.array(given("transmission_scatter_anisotropy"))
            dull = scattered_share(scatter, on, np.array(deep))
            clear = np.array(base) * np.maximum(left, 1e-6) ** deep
            base = tuple(float(v) for v in clear + (deep_albedo(scatter, left, on) - clear) * dull)
            inputs["transmission"] = Input((given("transmission")[0] * float(1 - dull.mean()),))
        inputs.pop("thickness")
    inputs["base_color"] = Input(base)
    return replace(material, inputs=inputs)
