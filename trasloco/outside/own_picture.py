"""One's own picture of a scene held against both sides of a proof: shown alike, and measured on the same
pixels and materials.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from trasloco.outside.registering import Alignment, Floats, aligned, covered, laid_over, resized
from trasloco.outside.showing import CURVES, Shown, best_shown, difference, displayed_by
from trasloco.outside.shrinking import shrunk
from trasloco.proof.figure import Figure, Pixels, figure_of, pixels_of
from trasloco.render.picture import Picture

Mask = npt.NDArray[np.bool_]
Side = Literal["reference", "arrival"]
FINDS_CURVE = ""
"""The name of no curve: it is found."""


@dataclass(frozen=True)
class OnMaterial:
    """Mean ΔE of a picture to both sides on one material, and which share of the frame it fills."""

    id: str
    cover: float
    reference: Figure
    arrival: Figure


@dataclass(frozen=True)
class Held:
    """A picture beside both sides, all display light (H, W, 3) in [0, 1] under one curve and exposure.

    Attributes:
        mine: the picture as it lies over the rendered ones; ``inside`` where it reaches (H, W).
        alignment: how it had to be laid over them; as it is where its camera was found.
        to_reference, to_arrival: (H, W) ΔE, 0 where the picture does not reach.
        reference_figure, arrival_figure: over all that is seen of the scene.
        materials: by the reference, those that fill most of the frame first.
    """

    mine: Floats
    inside: Mask
    reference: Floats
    arrival: Floats
    shown: Shown
    alignment: Alignment
    to_reference: Floats
    to_arrival: Floats
    reference_figure: Figure
    arrival_figure: Figure
    materials: tuple[OnMaterial, ...]


def hold(
    picture: Floats,
    reaches: Mask,
    reference: Picture,
    arrival: Picture,
    material_ids: tuple[str, ...],
    of: Side = "reference",
    curve: str = FINDS_CURVE,
    lies: bool = True,
) -> Held:
    """Hold a picture (H, W, 3), display light, against both sides as they were rendered from its camera.

    It is a picture of one of the sides: the exposure, and the curve where none is named, are those under
    which that side is most like it. Where it does not lie over the rendered ones (``lies``), its size, turn
    and place are found first.

    Args:
        reaches: (H, W) where the picture shows anything.
    """
    height, width = reference.even.shape[:2]
    mine = resized(picture, width, height)
    inside = covered(reaches, width, height)
    on_scene = (reference.ids[..., 0] >= 0) | (arrival.ids[..., 0] >= 0)
    side = reference if of == "reference" else arrival
    curves = tuple(CURVES) if curve == FINDS_CURVE else (curve,)
    alignment = Alignment(score=1.0)
    if not lies:
        seen = on_scene & inside
        guess = best_shown(side.radiance[seen], mine[seen], curves)
        alignment = aligned(mine, displayed_by(side.radiance, guess))
        lain = alignment if alignment.found else Alignment()
        known = laid_over(np.repeat(inside[..., None].astype(np.float32), 3, axis=2), lain)[0][..., 0] > 0.99
        mine, within = laid_over(mine, lain)
        inside = within & known
    domain = on_scene & inside if (on_scene & inside).any() else inside
    shown = best_shown(side.radiance[domain], mine[domain], curves)
    if lies:
        # Its size was changed as it is shown; now that the curve is known, as light.
        mine, _ = shrunk(picture, shown.curve, width, height)
        shown = best_shown(side.radiance[domain], mine[domain], (shown.curve,))
    both = {name: displayed_by(one.radiance, shown) for name, one in _sides(reference, arrival)}
    pixels = {name: _pixels(mine, one, shown, inside) for name, one in _sides(reference, arrival)}
    figures = {name: figure_of(pixels[name].at(domain), float(domain.mean())) for name in both}
    return Held(
        mine,
        inside,
        both["reference"],
        both["arrival"],
        shown,
        alignment,
        pixels["reference"].found.astype(np.float32),
        pixels["arrival"].found.astype(np.float32),
        figures["reference"],
        figures["arrival"],
        _by_material(reference.ids[..., 0], inside, pixels, material_ids),
    )


def _sides(reference: Picture, arrival: Picture) -> tuple[tuple[str, Picture], tuple[str, Picture]]:
    return (("reference", reference), ("arrival", arrival))


def _pixels(mine: Floats, picture: Picture, shown: Shown, inside: Mask) -> Pixels:
    """ΔE (H, W) of a picture to one that was rendered, and what the noise of that makes by itself."""

    def apart(radiance: Floats) -> Floats:
        return np.where(inside, difference(mine, displayed_by(radiance, shown)), 0)

    found = apart(picture.radiance)
    if picture.samples < 2:
        return pixels_of(found, np.zeros_like(found), found)
    noise = (picture.even - picture.odd) / 2
    noisy = displayed_by(np.maximum(picture.radiance + noise, 0), shown)
    floor = difference(displayed_by(picture.radiance, shown), noisy)
    return pixels_of(found, floor, (apart(picture.even) + apart(picture.odd)) / 2)


def _by_material(
    numbers: npt.NDArray[np.int32],
    inside: Mask,
    pixels: dict[str, Pixels],
    ids: tuple[str, ...],
) -> tuple[OnMaterial, ...]:
    made = []
    for number, id in enumerate(ids):
        where = (numbers == number) & inside
        cover = float(where.mean())
        if cover == 0:
            continue
        figures = {name: figure_of(one.at(where), cover) for name, one in pixels.items()}
        made.append(OnMaterial(id, cover, figures["reference"], figures["arrival"]))
    return tuple(sorted(made, key=lambda one: -one.cover))
