"""Materials as rows of numbers: factors, textures and layers of each input, numbers without an image, flags."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from trasloco.inputs.table import DRAWN_IMAGES, INPUTS, VECTORS
from trasloco.render.arrays import SceneArrays
from trasloco.render.columns import (
    ABSORBED,
    ALPHA_MODE,
    BACK,
    COAT_COLOR,
    COAT_DARKENING,
    CUTOFF,
    DULL_ROUGH,
    IOR,
    MATERIAL_COLUMNS,
    NORMAL,
    PLAIN,
    RADIUS,
    SOLID,
    TURN,
    TWO_SIDED,
    UNLIT,
    VERTEX_COLOR,
)
from trasloco.render.texture_store import TextureStore
from trasloco.scene.glass import is_solid
from trasloco.scene.layers import BLENDS
from trasloco.scene.model import Input, Material, Scene

_MOST_INDEX = 399.0


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
        # An index of 0 stands for one that reflects everything (KHR_materials_ior).
        table[row, IOR] = (
            1.5
            if ior is None
            else _MOST_INDEX
            if ior.factor[0] == 0
            else min(max(ior.factor[0], 1.0), _MOST_INDEX)
        )
        _numbers(material, table[row])
        table[row, ALPHA_MODE] = {"opaque": 0, "mask": 1, "blend": 2}[material.alpha_mode]
        table[row, CUTOFF] = material.alpha_cutoff
        table[row, TWO_SIDED] = material.double_sided or material.back is not None
        table[row, UNLIT] = material.unlit
        table[row, BACK] = number.get(material.back or "", -1)
        table[row, VERTEX_COLOR] = base is not None and base.vertex_color
    return table, slots, spans, np.array(layers, np.float64).reshape(-1, 8)


def _numbers(material: Material, row: Any) -> None:
    """What has no image: absorption per metre, mean free path, turn, and what tells which closures are needed
    at all.
    """
    value = {
        name: material.inputs[name].factor if name in material.inputs else row_of.default
        for name, row_of in INPUTS.items()
        if row_of.drawn == "number"
    }
    distance = value["attenuation_distance"][0]
    color = np.clip(value["attenuation_color"], 1e-6, 1)
    # Beer and Lambert: the colour is what is left after the distance (KHR_materials_volume).
    row[ABSORBED : ABSORBED + 3] = -np.log(color) / distance if 0 < distance < np.inf else 0.0
    row[RADIUS] = max(value["subsurface_radius"][0], 1e-6)
    row[TURN], row[DULL_ROUGH], row[COAT_DARKENING] = (
        value["anisotropy_rotation"][0],
        value["diffuse_roughness"][0],
        value["clearcoat_darkening"][0],
    )
    row[COAT_COLOR : COAT_COLOR + 3] = value["clearcoat_color"]
    seen = any(
        name in material.inputs
        for name in ("sheen_color", "subsurface", "diffuse_transmission", "anisotropy", "clearcoat_normal")
    )
    row[SOLID] = "transmission" in material.inputs and is_solid(material)
    row[PLAIN] = not seen


def _layer_rows(name: str, given: Input, textures: TextureStore, strength: float) -> list[list[float]]:
    rows = []
    for layer in given.layers if name not in VECTORS else ():
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
