"""Materials as rows of numbers: factors, textures and layers of each input, and flags."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from trasloco.inputs.table import DRAWN_IMAGES, INPUTS
from trasloco.render.arrays import SceneArrays
from trasloco.render.columns import (
    ALPHA_MODE,
    BACK,
    CUTOFF,
    IOR,
    MATERIAL_COLUMNS,
    NORMAL,
    PLAIN,
    SOLID,
    TWO_SIDED,
    UNLIT,
    VERTEX_COLOR,
)
from trasloco.render.surface import MOST_INDEX
from trasloco.render.texture_store import TextureStore
from trasloco.scene.glass import is_solid
from trasloco.scene.layers import BLENDS
from trasloco.scene.model import Input, Material, Scene

_FURTHER = (
    "sheen_color",
    "subsurface",
    "diffuse_transmission",
    "anisotropy",
    "clearcoat_normal",
    "iridescence",
)
"""What a plain surface has none of, so that a hit need not ask."""


def dressed(arrays: SceneArrays, materials: Sequence[Material]) -> SceneArrays:
    """A scene's arrays with other materials, without images, in the places of those that it has."""
    table, slots, spans, layers = material_rows(list(materials), TextureStore(Scene("even")))
    return arrays._replace(materials=table, material_textures=slots, layer_spans=spans, layers=layers)


def material_rows(materials: list[Material], textures: TextureStore) -> tuple[Any, Any, Any, Any]:
    layers: list[list[float]] = []
    spans = np.zeros((len(materials), len(DRAWN_IMAGES), 2), np.int64)
    table = np.zeros((len(materials), MATERIAL_COLUMNS), np.float64)
    slots = np.full((len(materials), len(DRAWN_IMAGES)), -1, np.int64)
    number = {material.id: k for k, material in enumerate(materials)}
    for row, material in enumerate(materials):
        strength = (
            material.inputs["emission_strength"].factor[0] if "emission_strength" in material.inputs else 1.0
        )
        for column, name in enumerate(DRAWN_IMAGES):
            given = material.inputs.get(name)
            factor = INPUTS[name].default if given is None else given.factor
            if name == "emission" and given is not None:
                factor = tuple(f * strength for f in factor)
            table[row, 3 * column : 3 * column + len(factor)] = factor
            if given is not None:
                slots[row, column] = textures.add(name, given)
                table[row, 3 * column : 3 * column + len(factor)] *= textures.top(given)
                spans[row, column, 0] = len(layers)
                layers += _layer_rows(name, given, textures, strength if name == "emission" else 1.0)
                spans[row, column, 1] = len(layers)
        if slots[row, NORMAL] < 0 and "height" in material.inputs:
            slots[row, NORMAL] = textures.add("height", material.inputs["height"])
        ior = material.inputs.get("ior")
        base = material.inputs.get("base_color")
        if ior is not None and ior.factor[0] == 0:
            # An index of 0 stands for one that reflects everything (KHR_materials_ior).
            table[row, 3 * IOR], slots[row, IOR] = MOST_INDEX, -1
        table[row, SOLID] = "transmission" in material.inputs and is_solid(material)
        table[row, PLAIN] = not any(name in material.inputs for name in _FURTHER)
        table[row, ALPHA_MODE] = {"opaque": 0, "mask": 1, "blend": 2}[material.alpha_mode]
        table[row, CUTOFF] = material.alpha_cutoff
        table[row, TWO_SIDED] = material.double_sided or material.back is not None
        table[row, UNLIT] = material.unlit
        table[row, BACK] = number.get(material.back or "", -1)
        table[row, VERTEX_COLOR] = base is not None and base.vertex_color
    return table, slots, spans, np.array(layers, np.float64).reshape(-1, 8)


def _layer_rows(name: str, given: Input, textures: TextureStore, strength: float) -> list[list[float]]:
    rows = []
    for layer in given.layers if name != "height" else ():
        texture, mask = textures.add(name, Input((1.0,), layer.texture)), -1
        if layer.mask is not None:
            mask = textures.add("opacity", Input((1.0,), layer.mask))
        if texture >= 0 and (mask >= 0 or layer.mask is None):
            scale = 1.0 if layer.blend == "multiply" else strength
            scale *= textures.top(Input((1.0,), layer.texture))
            factor = [f * scale for f in (layer.factor if len(layer.factor) == 3 else layer.factor[:1] * 3)]
            rows.append(
                [texture, mask, BLENDS.index(layer.blend), layer.weight, *factor, float(layer.bounded)]
            )
    return rows
