"""Images that were painted over at the destination, as the source would have them: back through the inverse
of the steps they went through, where nothing but the steps stands between.

What was not painted stays as it is at the source, texel by texel.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from trasloco.fit.crossings import baked, has_step, vectors_in
from trasloco.fit.formulas import codes as do
from trasloco.fit.model import LOSSY, Crossing, Plan
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps import kind_of
from trasloco.fit.texels import planes
from trasloco.scene.images import Image, encode, pixels, unit_floats
from trasloco.scene.model import Input, Scene
from trasloco.scene.texels_held import Pixels

_CODES, _LOSSY_CODES = 1.6, 10.0
"""Of eight bits: from how much on a texel was painted, and where the file does not keep every code."""


@dataclass(frozen=True)
class ImageBack:
    """An image for the source: its file, the input that is to read it, through which channels and inverted or
    not, and the share of its texels that were painted.
    """

    path: str
    data: bytes
    target: str
    channels: str
    invert: bool
    share: float


def image_back(
    reference: Scene, plan: Plan, crossing: Crossing, sent: tuple[Scene, Input], returned: tuple[Scene, Input]
) -> tuple[ImageBack | None, str]:
    """The image that an input is to read at the source, or None and why it cannot be told; with it, what the
    steps back cannot know.

    ``sent`` and ``returned`` are the input as it is at the destination, with the scene that holds its image.
    """
    why = _not_back(reference, crossing)
    planned = next((one for one in plan.images if one.path == crossing.landing.image), None)
    was, now = _plane(*sent), _plane(*returned)
    if why or planned is None or was is None or now is None:
        return None, why or "Its image cannot be read."
    texture = crossing.given.texture
    assert texture is not None
    if was.ndim != now.ndim:
        return None, "Its image has other channels than were sent."
    order = Order(crossing, planned, reference, {})
    source, plane, why = _undone(order, now)
    if plane is None:
        return None, why
    lossy = planned.lossy or any(_image(*one).kind in LOSSY for one in (sent, returned))
    painted = _painted(was, now, _LOSSY_CODES if lossy else _CODES)
    made = _painted_on(source, plane, painted)
    kind = "exr" if made.dtype.kind == "f" else "png"
    texels = np.ascontiguousarray(made if made.ndim == 3 else made[..., None])
    name = f"{reference.materials[crossing.material].name} {crossing.label.lower()}, painted.{kind}"
    back = ImageBack(
        name.replace("/", "-"),
        encode(texels, kind, texture.encoding == "srgb" and kind == "png"),
        f"{crossing.material}/{crossing.name}",
        "rgb" if made.ndim == 3 else "r",
        texture.invert,
        float(painted.mean()),
    )
    told = [_unknown(reference.images[texture.image], now.shape[:2], was.shape[:2], planned.lossy)]
    if has_step(crossing, "occlude") and float(plane.linear()[painted].max(initial=0)) >= 1:
        told.append(
            "Where occlusion is dark, no colour of the source is as bright as what was painted: white stands there."
        )
    return back, " ".join(filter(None, told))


def _undone(order: Order, now: Pixels) -> tuple[Plane, Plane | None, str]:
    """The texels of the source, and what came back (H, W) or (H, W, 3) before all steps; None and why where one
    cannot be gone back.
    """
    way = list(planes(order))
    vectors = vectors_in(order.crossing)
    encoding: do.Encoding = "linear" if now.ndim == 2 or vectors else order.planned.encoding
    plane = Plane(now, encoding, vectors)
    for (_, before), (step, _) in reversed(list(pairwise(way))):
        kind = kind_of(step) if step is not None else None
        if step is None or kind is None or kind.stays:
            continue
        undone = kind.undo(plane, step, order, before) if kind.undo is not None else None
        if undone is None:
            return way[0][1], None, f"“{step.text}” cannot be gone back: nothing says what was there."
        plane = undone
    return way[0][1], plane, ""


def _not_back(reference: Scene, crossing: Crossing) -> str:
    """Why an image cannot go back; empty where it can."""
    texture = crossing.given.texture
    own = reference.materials[crossing.material].inputs.get(crossing.name)
    pictured = has_step(crossing, "occlude") and (own is None or own.texture is None)
    if texture is None or pictured:
        return "It was a number at the source; bring the image in under Files and choose it in Fit."
    if crossing.given.layers or baked(crossing) or has_step(crossing, "flatten", "together"):
        return "It was drawn anew out of several, and lies on other UVs there."
    if has_step(crossing, "metal"):
        return "Colour and metalness were computed from two images; which one was painted is not known."
    if has_step(crossing, "fit"):
        return "It was fitted, and stands for the look of several inputs of the source."
    if crossing.name != crossing.landing.input and not has_step(crossing, "see_through"):
        return "It stands for another input of the source; bring the image in under Files."
    if not reference.images[texture.image].usable:
        return "The image of the source cannot be read."
    return ""


def _image(scene: Scene, given: Input) -> Image:
    assert given.texture is not None
    return scene.images[given.texture.image]


def _plane(scene: Scene, given: Input) -> Pixels | None:
    """The texels of an input as its file has them, of the channels that are read."""
    if given.texture is None or given.texture.image not in scene.images:
        return None
    image = scene.images[given.texture.image]
    return do.extract(pixels(image), given.texture.channels) if image.usable else None


def _painted(was: Pixels, now: Pixels, codes: float) -> npt.NDArray[np.bool_]:
    """(H, W) texels of what came back that are otherwise; all of them where the size is another."""
    if was.shape != now.shape:
        return np.ones(now.shape[:2], np.bool_)
    off = np.abs(unit_floats(was) - unit_floats(now)) * 255
    return np.asarray((off.max(axis=-1) if off.ndim == 3 else off) > codes)


def _painted_on(source: Plane, painted: Plane, where: npt.NDArray[np.bool_]) -> Pixels:
    """The source's texels with those that were painted, at the source's size and depth."""
    height, width = source.texels.shape[:2]
    if painted.texels.ndim == 3 and not source.vectors and painted.encoding != source.encoding:
        painted = Plane(do.encode_values(painted.linear(), source.encoding), source.encoding)
    if painted.texels.shape[:2] != (height, width):
        moved = do.resize(
            painted.texels, width, height, painted.encoding, source.vectors, _most(source.texels)
        )
        painted = replace(painted, texels=moved)
        zoom = height / where.shape[0], width / where.shape[1]
        where = ndimage.zoom(where.astype(np.float32), zoom, order=1) > 0
    floating = source.texels.dtype.kind == "f"
    depth = do.FLOATING if floating else source.texels.dtype.itemsize * 8
    made = do.to_depth(painted.texels, depth)
    return np.asarray(np.where(where[..., None] if made.ndim == 3 else where, made, source.texels))


def _most(texels: Pixels) -> float:
    return float("inf") if texels.dtype.kind == "f" else 1.0


def _unknown(image: Image, now: tuple[int, ...], was: tuple[int, ...], lossy: bool) -> str:
    """What the way back cannot know, in words."""
    told = []
    if now != was:
        told.append("It came back in another size: all of it counts as painted.")
    if (image.height, image.width) != now:
        told.append(
            f"What was painted is as fine as {now[1]} × {now[0]}; the rest stays as the source has it, {image.width} × {image.height}."
        )
    if lossy:
        told.append("Small changes cannot be told from what its kind of file loses.")
    return " ".join(told)
