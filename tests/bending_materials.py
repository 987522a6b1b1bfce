"""Single facts of an arrival's materials, bent."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from tests.bend import Bend
from tests.making import image
from trasloco.fit.model import Plan
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.images import pixels
from trasloco.scene.model import (
    Input,
    Material,
    Scene,
    Texture,
)
from trasloco.scene.resolve import read_texture


def _worn(arrival: Scene, material: Material) -> Scene:
    return replace(arrival, materials={**arrival.materials, material.id: material})


def material_bends(
    reference: Scene, arrival: Scene, here: str, material: Material, plan: Plan, rng: random.Random
) -> Iterator[Bend]:
    meant = reference.materials[here]
    items = frozenset({here})
    if meant.double_sided == material.double_sided:
        yield Bend("sides", items, _worn(arrival, replace(material, double_sided=not material.double_sided)))
    if meant.unlit == material.unlit:
        yield Bend("without light", items, _worn(arrival, replace(material, unlit=not material.unlit)))
    if material.alpha_mode == "mask" and meant.alpha_mode == "mask":
        yield Bend(
            "a cut-off", items, _worn(arrival, replace(material, alpha_cutoff=material.alpha_cutoff + 0.02))
        )
    if material.alpha_mode != "opaque" and meant.alpha_mode != "opaque":
        yield Bend("drawn solid", items, _worn(arrival, replace(material, alpha_mode="opaque")))
    if material.payload.get("extras"):
        yield Bend("a material's properties gone", items, _worn(arrival, replace(material, payload={})))
    exact = {c.landing.input for c in plan.of(here) if c.mark == "exact" and c.landing.input}
    landed = {c.landing.input for c in plan.of(here) if c.landing.input and c.mark not in ("lost", "blocked")}
    for name in sorted(landed & set(material.inputs)):
        drawn = any(
            c.landing.input == name and any(s.settings.get("bake") for s in c.steps) for c in plan.of(here)
        )
        yield from _input(arrival, items, material, name, name in exact, drawn, rng)
    absent = next(
        (
            n
            for n in ("sheen_color", "clearcoat", "transmission")
            if n not in material.inputs and n not in {c.name for c in plan.of(here)}
        ),
        None,
    )
    if absent is not None:
        added = {**material.inputs, absent: Input((0.5,) * INPUTS[absent].channels)}
        yield Bend("an input from nowhere", items, _worn(arrival, replace(material, inputs=added)))


def _input(
    arrival: Scene,
    items: frozenset[str],
    material: Material,
    name: str,
    exact: bool,
    drawn: bool,
    rng: random.Random,
) -> Iterator[Bend]:
    given = material.inputs[name]

    def put(made: Input, more: Any = None) -> Scene:
        scene = _worn(arrival, replace(material, inputs={**material.inputs, name: made}))
        return scene if more is None else replace(scene, images={**scene.images, more.id: more})

    if name not in VECTORS and np.isfinite(given.factor).all():
        yield Bend(
            f"{name}: a factor",
            items,
            put(replace(given, factor=tuple(f * 0.8 + 0.011 for f in given.factor))),
        )
    texture = given.texture
    if texture is None or not arrival.images[texture.image].usable:
        if (
            name not in ("emission_strength", "base_color", "roughness", "metalness")
            or given.factor != INPUTS[name].default
        ):
            without = {k: v for k, v in material.inputs.items() if k != name}
            if given.factor != INPUTS[name].default:
                yield Bend(f"{name}: gone", items, _worn(arrival, replace(material, inputs=without)))
        return
    texels = pixels(arrival.images[texture.image])
    # What says the same everywhere lies the same wherever it is put.
    read = read_texture(replace(texture, invert=False), texels)
    varied = float(np.ptp(read.reshape(-1, read.shape[-1] if read.ndim == 3 else 1), axis=0).max()) > 0.05
    if varied:
        yield Bend(f"{name}: image gone", items, put(replace(given, texture=None)))
        yield Bend(
            f"{name}: placed elsewhere",
            items,
            put(_with(given, offset=(texture.offset[0] + 0.1, texture.offset[1]))),
        )
        yield Bend(
            f"{name}: repeated otherwise",
            items,
            put(_with(given, scale=(texture.scale[0] * 2, texture.scale[1]))),
        )
        yield Bend(f"{name}: turned", items, put(_with(given, rotation_rad=texture.rotation_rad + 0.1)))
    if varied and not drawn:
        yield Bend(
            f"{name}: other wrap",
            items,
            put(_with(given, wrap=("mirror" if texture.wrap[0] != "mirror" else "clamp", texture.wrap[1]))),
        )
        yield Bend(f"{name}: other UVs", items, put(_with(given, uv_set=texture.uv_set + 1)))
    if name in VECTORS:
        yield Bend(f"{name}: strength", items, put(_with(given, strength=texture.strength * 0.8)))
        yield Bend(f"{name}: green", items, put(_with(given, green_up=not texture.green_up)))
    elif texture.channels == "rgb":
        yield Bend(
            f"{name}: encoding",
            items,
            put(_with(given, encoding="linear" if texture.encoding == "srgb" else "srgb")),
        )
    else:
        yield Bend(f"{name}: inverted", items, put(_with(given, invert=not texture.invert)))
    if exact:
        yield from _one_texel(arrival, items, given, texture, texels, name, put, rng)


def _with(given: Input, **change: Any) -> Input:
    assert given.texture is not None
    return replace(given, texture=replace(given.texture, **change))


def _one_texel(
    arrival: Scene,
    items: frozenset[str],
    given: Input,
    texture: Texture,
    texels: Any,
    name: str,
    put: Callable[..., Scene],
    rng: random.Random,
) -> Iterator[Bend]:
    bent = texels.copy()
    top = int(np.iinfo(bent.dtype).max)
    letter = "rgba".index(texture.channels) if texture.channels != "rgb" else 1
    letter = min(letter, bent.shape[2] - 1)
    row, column = rng.randrange(bent.shape[0]), rng.randrange(bent.shape[1])
    step = (12 if name in VECTORS else 3) * (top // 255)
    held = int(bent[row, column, letter])
    bent[row, column, letter] = held + step if held + step <= top else held - step
    other = image("bent", bent)
    yield Bend(f"{name}: one texel", items, put(_with(given, image=other.id), other))
