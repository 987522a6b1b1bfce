"""A crossing's texels through its steps, in one order, to codes at the planned size and depth.

Integers stay integers as long as a step is exact on them; what needs light works on linear values; encoding
and depth come last.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from trasloco.fit.atlas import bake_input
from trasloco.fit.crossings import as_it_lands, baked, has_step, vectors_in
from trasloco.fit.formulas import codes as do
from trasloco.fit.formulas.dithering import dithered
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane, fitted, recoded
from trasloco.fit.steps import kind_of
from trasloco.keeping import kept_of_late
from trasloco.scene.digest import digest
from trasloco.scene.images import pixels
from trasloco.scene.model import Input
from trasloco.scene.texels_held import Pixels


def plane_of(order: Order) -> Pixels:
    """The crossing's steps carried out: codes at the planned size and depth, (H, W) or (H, W, 3)."""
    if baked(order.crossing):
        linear = drawn(order)
        codes = do.to_depth(
            do.encode_values(linear, order.planned.encoding if linear.shape[2] == 3 else "linear"),
            order.planned.file_depth,
        )
        return codes if codes.shape[2] == 3 else codes[..., 0]

    def make() -> Pixels:
        for _, plane in planes(order):
            last = plane
        return _finished(last, order)

    return kept_of_late("texels", ingredients(order), make)


def drawn(order: Order) -> Pixels:
    """A crossing drawn into its material's atlas, linear (side, side, C), with what is done to it as a whole."""
    crossing, atlas = order.crossing, order.atlases[order.crossing.material]
    values = as_it_lands(crossing, bake_input(order.reference, crossing.material, crossing.name, atlas))
    if has_step(crossing, "occlude"):
        values = values * bake_input(order.reference, crossing.material, "occlusion", atlas)
    return values


def planes(order: Order) -> Iterator[tuple[Step | None, Plane]]:
    """The texels as read, then after each step that changes them."""
    crossing = order.crossing
    given = crossing.given
    assert given.texture is not None
    texels = do.extract(pixels(order.reference.images[given.texture.image]), given.texture.channels)
    # Floating texels are light as it is, whatever the texture says of an encoding.
    plain = vectors_in(crossing) or texels.ndim == 2 or texels.dtype.kind == "f"
    plane = Plane(texels, "linear" if plain else given.texture.encoding, vectors_in(crossing))
    yield None, plane
    for step in crossing.steps:
        kind = kind_of(step)
        if kind.apply is not None and not step.settings.get("bake"):
            plane = kind.apply(plane, step, order)
            yield step, plane


def _finished(plane: Plane, order: Order) -> Pixels:
    """Codes at the planned encoding, size and depth."""
    plane, depth = fitted(recoded(plane, order), order), order.planned.file_depth
    if depth == 8 and any(kind_of(step).dithers for step in order.crossing.steps):
        return dithered(plane.texels)
    return do.to_depth(plane.texels, depth)


def ingredients(order: Order) -> str:
    """A digest of everything that a crossing's texels depend on: its steps, the planned file, and the content
    of the images that go in.
    """
    crossing, planned = order.crossing, order.planned
    assert crossing.given.texture is not None
    images = {step.settings["image"] for step in crossing.steps if "image" in step.settings} | {
        crossing.given.texture.image
    }
    others: tuple[object, ...] = ()
    if any(kind_of(step).reads_others for step in crossing.steps):
        material = order.reference.materials[crossing.material]
        others = tuple(material.inputs.values())
        images |= {texture.image for given in material.inputs.values() for texture in given.textures}
    texture = replace(crossing.given.texture, image="")
    held = sorted(order.reference.images[id].digest for id in images if id in order.reference.images)
    return digest(
        crossing.name,
        replace(crossing.given, texture=texture),
        [(s.kind, {k: v for k, v in s.settings.items() if k != "image"}) for s in crossing.steps],
        _bare(others),
        planned.width,
        planned.height,
        planned.file_depth,
        planned.encoding,
        held,
    )


def _bare(inputs: tuple[object, ...]) -> list[object]:
    return [
        given.retextured(lambda texture: replace(texture, image="")) if isinstance(given, Input) else given
        for given in inputs
    ]
