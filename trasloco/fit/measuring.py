"""How well a crossing arrives, by comparing delivered texels with what the reference means."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.fit.atlas import points_of
from trasloco.fit.crossings import (
    as_it_lands,
    baked,
    beside_image,
    flattened_here,
    has_step,
    strength_beside,
    vectors_in,
)
from trasloco.fit.formulas import codes as do
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.model import Crossing
from trasloco.fit.plane import Order
from trasloco.fit.steps import kind_of
from trasloco.fit.steps.metal import residual_of_metal
from trasloco.fit.texels import drawn
from trasloco.scene.images import unit_floats
from trasloco.scene.layers import flattened
from trasloco.scene.model import Texture
from trasloco.scene.passes import apart, normal_vectors
from trasloco.scene.resolve import input_values
from trasloco.scene.sampling import bilinear
from trasloco.scene.texels_held import Pixels

_EXACT_CODES = 0.501
"""Rounding to nearest leaves at most half a code; the rest is float32 noise."""
_DITHERED_CODES = 1.001
"""Dithering rounds up or down: always less than one code."""
_VECTOR_CODES = 1.5
"""A unit normal rounds in three channels at once and is made unit again when read, which can add the others'
rounding.
"""


_HALF = "Half floats keep eleven bits of every value."


def measured(order: Order, codes: Pixels, green_up: bool) -> Crossing:
    """The crossing with its mark as found by comparing delivered texels with what the reference means.

    Codes are compared at the destination's depth; texels that are cut away entirely are never seen and not
    compared. What was replaced or
    resampled stays ``close``; its rms is taken at the delivered size, against the reference brought there by
    the same filter family in linear
    light. Metalness terms tell the residual of the conversion instead.
    """
    crossing, planned = order.crossing, order.planned
    if baked(crossing):
        return _measured_paint(order, codes)
    if has_step(crossing, "metal"):
        return replace(crossing, rms=residual_of_metal(order))
    top = do.full_scale(planned.depth)
    wanted = wanted_values(order)
    vectors = vectors_in(crossing)
    got = unit_floats(codes)
    got = got if got.ndim == 3 else got[..., None]
    same_size = wanted.shape[:2] == got.shape[:2]
    if not same_size:
        wanted = resample(wanted, got.shape[1], got.shape[0])
        wanted = wanted if wanted.ndim == 3 else wanted[..., None]
    if vectors:  # their differences count as they are stored
        got, meant, scale = normal_vectors(got, green_up), wanted, 0.5
    else:
        encoding = planned.encoding if wanted.shape[-1] == 3 else "linear"
        meant, scale = (
            wanted if planned.file_depth == do.FLOATING else do.encode_values(wanted, encoding),
            1.0,
        )
    largest, rms = apart(got, meant, scale)
    floating = planned.file_depth == do.FLOATING
    beyond = 0.0 if vectors or floating else float(wanted.max())
    if beyond > 1.001 and crossing.mark == "exact":
        crossing = replace(crossing, mark="close", reason=f"Values up to {beyond:.3g} are cut to 1.")
    for step in crossing.steps:
        seen = kind_of(step).seen
        if seen is not None:
            if crossing.mark == "exact" and largest * top > _DITHERED_CODES:
                # What is seen stays as it is, and yet it is not what was sent.
                crossing = replace(
                    crossing,
                    mark="close",
                    reason="Colours under what is cut away give way to their neighbours', so that edges do not fray.",
                )
            shown = seen(order, step, got.shape[:2])[..., None]
            got, meant = got * shown, meant * shown
            largest, rms = apart(got, meant, scale)
    error = largest * top
    dithered = any(kind_of(step).dithers for step in crossing.steps)
    if crossing.mark == "exact" and floating and _bits_of(order) > 8:
        return replace(crossing, mark="close", reason=_HALF, error=error, rms=rms)
    if crossing.mark == "exact" and _bits_of(order) > planned.depth:
        reason = f"{_held(order)} brought to {planned.depth}; differs by up to {error:.1f} codes."
        return replace(crossing, mark="close", reason=reason, error=error, rms=rms)
    limit = _VECTOR_CODES if vectors else _DITHERED_CODES if dithered else _EXACT_CODES
    replaced = any(kind_of(s).replaces and s.settings.get("bake", True) for s in crossing.steps)
    if crossing.mark == "exact" and (error > limit or not same_size):
        return replace(
            crossing,
            mark="close",
            reason=f"Differs by up to {error:.1f} codes of {planned.depth} bits.",
            error=error,
            rms=rms,
        )
    if crossing.mark == "close" and not replaced and error <= limit and same_size and not crossing.reason:
        return replace(crossing, mark="exact", error=error, rms=rms)
    return replace(crossing, error=error, rms=rms)


def _bits_of(order: Order) -> int:
    """Bits a channel of the image that goes in; floats hold more than any."""
    given = order.crossing.given.texture
    image = order.reference.images.get(given.image) if given is not None else None
    return 0 if image is None or order.crossing.name == "height" else 32 if image.floating else image.depth


def _held(order: Order) -> str:
    return "Floating values are" if _bits_of(order) == 32 else f"{_bits_of(order)} bits a channel are"


def _measured_paint(order: Order, codes: Pixels) -> Crossing:
    """What was drawn into an atlas.

    A palette is compared texel by texel; an atlas is read at points spread over the faces, against what the
    input is there.
    """
    crossing, planned = order.crossing, order.planned
    atlas = order.atlases[crossing.material]
    top = do.full_scale(planned.depth)
    got = unit_floats(codes)
    if atlas.colors is not None:
        wanted = do.encode_values(drawn(order), planned.encoding)
        error = float(np.abs(wanted - got).max()) * top
        fell = error > _EXACT_CODES
        reason = crossing.reason or (
            f"Differs by up to {error:.1f} codes of {planned.depth} bits." if fell else ""
        )
        return replace(
            crossing,
            error=error,
            rms=float(np.sqrt(np.mean((wanted - got) ** 2))),
            mark="close" if fell else crossing.mark,
            reason=reason,
        )
    codes = codes if codes.ndim == 3 else codes[..., None]
    encoding: do.Encoding = planned.encoding if codes.shape[2] == 3 else "linear"
    linear = do.decode(codes, encoding)
    whole = Texture("", wrap=("clamp", "clamp"))
    differences = []
    for uv, meant in points_of(
        order.reference, crossing.material, crossing.name, atlas, np.random.default_rng(7)
    ):
        truth = as_it_lands(crossing, meant)
        differences.append(
            do.encode_values(bilinear(linear, uv, whole), encoding) - do.encode_values(truth, encoding)
        )
    rms = float(np.sqrt(np.mean(np.concatenate(differences) ** 2))) if differences else 0.0
    return replace(crossing, rms=rms)


def wanted_values(order: Order) -> Any:
    """What the reference means by the crossing, (H, W, C) linear, or unit vectors, without what travels
    beside the image.
    """
    crossing = order.crossing
    given = crossing.given
    assert given.texture is not None
    beside = beside_image(crossing)
    if flattened_here(crossing):
        whole = order.partner(crossing.name)
        assert whole is not None
        size = next(step.settings["size"] for step in crossing.steps if step.kind == "flatten")
        lowest = -1 if vectors_in(crossing) else 0
        meant = flattened(crossing.name, whole, order.reference.images, *size)
        return as_it_lands(crossing, np.clip(meant, lowest, 1))
    image = order.reference.images[given.texture.image]
    if strength_beside(crossing) != 1.0:
        # Its strength travels as a number beside the image.
        given = replace(given, texture=replace(given.texture, strength=1.0))
    wanted = input_values(
        crossing.name,
        replace(given, factor=tuple(1.0 for _ in given.factor))
        if beside and crossing.name != "height"
        else given,
        image,
    )
    return as_it_lands(crossing, wanted)
