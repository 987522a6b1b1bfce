"""Whether an input says something else on the other side, as far as that can be seen."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.fit.formulas.resampling import resample
from trasloco.fit.way import has_paint
from trasloco.inputs.table import INPUTS
from trasloco.scene.layers import flattened, lie_alike, placement_of
from trasloco.scene.model import Input, Material, Scene
from trasloco.scene.resolve import input_values

_SIDE = 64


_NOT_SEEN = 1.5 / 255


def same_relief(material: Material, other: Material, reference: Scene, arrival: Scene) -> bool:
    mine = _small("height", material.inputs["height"], reference)
    theirs = _small("normal", other.inputs["normal"], arrival)
    if mine is None or theirs is None:
        return False
    a, b = np.broadcast_arrays(mine, theirs)
    return bool(np.abs(a - b).mean() < _NOT_SEEN)


def counts_for(name: str, material: Material, other: Material) -> bool:
    """Opacity says nothing of what is solid on both sides; a strength nothing of what does not glow, and so
    with all that only says how another input works.
    """
    if name == "opacity":
        return material.alpha_mode != "opaque" and other.alpha_mode != "opaque"
    lead = INPUTS[name].beside
    if lead:
        return lead in material.inputs or lead in other.inputs
    return name != "occlusion"


def says_otherwise(name: str, material: Material, other: Material, reference: Scene, arrival: Scene) -> bool:
    mine, theirs = (m.inputs.get(name, Input(INPUTS[name].default)) for m in (material, other))
    moved = (
        mine.texture is not None
        and theirs.texture is not None
        and placement_of(mine.texture) != placement_of(theirs.texture)
    )
    if moved or (mine.vertex_color and has_paint(reference, material.id)) != (
        theirs.vertex_color and has_paint(arrival, other.id)
    ):
        return True
    a, b = _small(name, mine, reference), _small(name, theirs, arrival)
    if a is None or b is None:
        return (a is None) != (b is None)
    a, b = np.broadcast_arrays(a, b)
    with np.errstate(invalid="ignore"):
        apart = np.abs(a - b) * _looked_at(name, material, reference)
    return bool(
        np.nanmax(np.where(np.isfinite(apart), apart, 0)) > 0
        if not np.isfinite(apart).all()
        else apart.mean() > _NOT_SEEN / 8 or apart.max() > _NOT_SEEN * 4
    )


def _looked_at(name: str, material: Material, scene: Scene) -> Any:
    """Where an input can be seen at all: what is cut away may hold anything, and what is under it is padded
    on the way.
    """
    given, opacity = material.inputs.get(name), material.inputs.get("opacity")
    if (
        material.alpha_mode == "opaque"
        or name == "opacity"
        or given is None
        or opacity is None
        or placement_of(given.texture) != placement_of(opacity.texture)
    ):
        return 1.0
    seen = _small("opacity", opacity, scene)
    return 1.0 if seen is None else (seen > 0.5 * float(seen.max())).astype(np.float32)


def _small(name: str, given: Input, scene: Scene) -> Any:
    """What an input says, at most :data:`_SIDE` texels a side; None when its image is missing."""
    image = scene.images.get(given.texture.image) if given.texture is not None else None
    if given.texture is not None and (image is None or not image.usable):
        return None
    values = (
        flattened(name, given, scene.images, _SIDE, _SIDE)
        if given.layers and lie_alike(given)
        else input_values(name, given, image)
    )
    if values.shape[0] > 1 or values.shape[1] > 1:
        values = resample(values, _SIDE, _SIDE)
        values = values if values.ndim == 3 else values[..., None]
    return values


def habit_told(name: str, material: Material, other: Material, planned: bool) -> str:
    mine, theirs = material.inputs.get(name), other.inputs.get(name)
    if theirs is None:
        return "The destination did not take it."
    if mine is None:
        return "The destination set it by itself."
    if mine.texture is not None and theirs.texture is None:
        return "The destination did not take its image."
    if theirs.vertex_color and not mine.vertex_color:
        return "The destination multiplies leftover vertex colours in."
    return "It arrives otherwise than it was sent." if planned else "The destination reads it otherwise."
