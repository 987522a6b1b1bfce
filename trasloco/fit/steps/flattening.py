"""Layers and decals made one image: texel by texel where all lie alike, drawn into an atlas where they do
not.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.atlas import MOST_SIDE, SIDE
from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.afterwards import on_the_whole
from trasloco.fit.steps.resizing import refused_size, resized
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene import layers
from trasloco.scene.model import Texture

DRAWN = {"bake": True, "how": "atlas"}


def _plan(draft: Draft, way: Way) -> Draft:
    given = draft.given
    if not given.layers or draft.baked:
        return draft
    if draft.name == "height":
        return draft.close("Layers of height are not flattened; the lowest one travels.")
    images = way.reference.images
    held = [images[t.image] for t in given.textures if t.image in images and images[t.image].usable]
    if len(held) < len(given.textures):
        return replace(
            draft,
            mark="blocked",
            reason="An image of one of its layers is missing or cannot be read. Relink it, or take the layer"
            " away.",
            target="",
        )
    if draft.has("metal"):
        return draft.close(
            "Layers over diffuse and specular colours are not flattened; the lowest one travels."
        )
    alike = layers.lie_alike(given)
    if draft.vectors and not alike:
        return draft.close(
            "Layers of relief that lie otherwise than what is below them are not flattened; the lowest one"
            " travels."
        )
    # What is done to the whole input afterwards is done to the flattened one.
    whole = on_the_whole(draft.steps)
    after = tuple(step for step in draft.steps if step in whole or (step.kind == "pad" and alike))
    shaded = draft.reason if any(step.kind == "occlude" for step in after) else ""
    count = len(given.layers)
    said = f"{count} layer{'s' if count > 1 else ''} flattened"
    draft = replace(draft, value=())
    if alike:
        return _texel_by_texel(draft, way, said, after, shaded)
    most = max(max(image.width, image.height) for image in held)
    side = min(
        max(SIDE, 2 ** (most - 1).bit_length()), MOST_SIDE, way.destination.images.largest or MOST_SIDE
    )
    drawn = replace(draft, steps=(Step("flatten", f"{said} into an atlas", DRAWN), *after), size=(side, side))
    return drawn.close(
        f"{shaded} Its layers lie otherwise than what is below them; drawn into one image of its own.".strip()
    )


def _texel_by_texel(draft: Draft, way: Way, said: str, after: tuple[Step, ...], shaded: str) -> Draft:
    given = draft.given
    size = layers.flat_size(given, way.reference.images)
    target = draft.fitted(size, way.files())
    made = replace(draft, steps=(Step("flatten", said, {"size": list(size)}), *after), size=target)
    same = all(layers.drawn_size(t, given, way.reference.images) == size for t in given.textures)
    odd = "" if same else "Its images differ in size; the smaller ones are read between their texels."
    told = f"{shaded} {odd}".strip()
    made = made.close(told) if told else replace(made, mark="exact", reason="")
    if target != size:
        made = made.then(resized(size, target)).close_unless_told(refused_size(way))
    if given.texture is None:
        channels = INPUTS[draft.name].written_channels
        made = replace(
            made, given=replace(given, texture=replace(given.layers[0].texture, channels=channels))
        )
    if draft.vectors:
        # Strengths and greens are in the directions by now.
        made = replace(made, given=replace(made.given, texture=_upright(made.given.texture)))
        if way.destination.conventions.normal_green != "up":
            made = made.then(Step("green", "green turned over"))
    return made


def _upright(texture: Texture | None) -> Texture | None:
    return replace(texture, strength=1.0, green_up=True) if texture is not None else None


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    name = order.crossing.name
    values = layers.flattened(name, order.partner(name), order.reference.images, *step.settings["size"])
    relief = name in VECTORS
    if relief:
        values = values * np.float32(0.5) + np.float32(0.5)
    return Plane(np.clip(values if values.shape[2] == 3 else values[..., 0], 0, 1), "linear", relief)


KIND = Kind("flatten", plan=_plan, apply=_apply, reads_others=True)
