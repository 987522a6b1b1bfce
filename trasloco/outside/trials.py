"""An arrival bent in ways that are tried, rendered alike, and measured against one picture on the same
pixels.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from trasloco.outside.bends import Bend
from trasloco.outside.registering import Floats, resized
from trasloco.outside.showing import Shown, best_shown, difference, displayed_by
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.images import Image, encode, identify, pixels
from trasloco.scene.model import Scene

Mask = npt.NDArray[np.bool_]
Ways = tuple[Bend, ...]
TEXELS = 512
"""Images are read no larger: they are seen small."""
_BLUR_PX = 1.0
"""Pictures are compared softened by so much: grain goes, what is read otherwise stays."""
_SEEN, _LEAST = 3.0, 0.01
"""From which ΔE on two looks differ at a pixel, and the least share of the scene that they have to."""
_BEHIND = 0.005
"""The least share of the picture that shows nothing of the scene, for what stands there to be known."""


@dataclass(frozen=True)
class Look:
    """One way as it was rendered, softened: radiance, where it shows the scene, and half of what the halves
    of its samples lie apart, which has the spread of its noise.
    """

    radiance: Floats
    on_scene: Mask
    grain: Floats


@dataclass(frozen=True)
class Row:
    """How far a look lies from the picture in mean ΔE, shown as fits best."""

    delta_e: float
    shown: Shown


def look(scene: Scene, view: View, quality: Quality) -> Look:
    made = render(flatten(scene), view, quality)
    top = np.percentile(made.radiance, 99.7)
    halves = [softened(np.clip(half, 0, top)) for half in (made.even, made.odd)]
    mean = softened(np.clip(made.radiance, 0, top))
    return Look(mean, made.ids[..., 0] >= 0, np.asarray((halves[0] - halves[1]) / 2, np.float32))


def tips(bend: Bend) -> bool:
    """Whether everything lies elsewhere then."""
    return bend.key.startswith("tipped")


def softened(values: Floats) -> Floats:
    return np.asarray(ndimage.gaussian_filter(values, (_BLUR_PX, _BLUR_PX, 0)), np.float32)


class Trials:
    """Looks of one size at an arrival from one place. The arrival unbent is among them, under no ways."""

    def __init__(self, arrival: Scene, view: View, quality: Quality) -> None:
        self.arrival, self.view, self.quality = arrival, view, quality
        self.looks: dict[Ways, Look] = {(): look(arrival, view, quality)}
        self.rows: dict[Ways, Row] = {}
        self.behind: Floats | None = None
        self.domain: Mask = np.zeros((0, 0), np.bool_)
        self.over: Floats = np.zeros((0, 0, 3), np.float32)

    def add(self, ways: Ways) -> None:
        """Look at the arrival bent in some ways at once, once in whichever order; where one changes nothing
        there is no look.
        """
        if any(set(ways) == set(other) for other in self.looks):
            return
        scene: Scene | None = self.arrival
        for bend in ways:
            scene = bend.bend(scene) if scene is not None else None
        if scene is not None:
            self.looks[ways] = look(scene, self.view, self.quality)

    def measure(self, over: Floats, inside: Mask) -> list[Ways]:
        """Every look against a picture that lies over it, of whatever size, and where that reaches; the ways,
        the likest first.
        """
        height, width = self.quality.height, self.quality.width
        self.over = softened(over if over.shape[:2] == (height, width) else resized(over, width, height))
        reached = inside if inside.shape == (height, width) else _shrunk(inside, width, height)
        # What only a tipped one reaches is no place to measure the others.
        tipped = [any(map(tips, ways)) for ways in self.looks]
        seen = [one.on_scene for one, lies in zip(self.looks.values(), tipped, strict=True) if not lies]
        self.domain = np.logical_or.reduce(seen) & reached
        self.reached = reached
        self.behind = self._beyond(np.logical_or.reduce([one.on_scene for one in self.looks.values()]))
        self.rows = {ways: self._row(one) for ways, one in self.looks.items()}
        return sorted((ways for ways in self.rows if ways), key=lambda ways: self.rows[ways].delta_e)

    def _row(self, one: Look) -> Row:
        fitted = self.domain & one.on_scene
        shown = best_shown(one.radiance[fitted], self.over[fitted])
        made = self._composed(one, shown)
        return Row(float(difference(made[self.domain], self.over[self.domain]).mean()), shown)

    def _beyond(self, on_scene: Mask) -> Floats | None:
        """What the picture shows beyond what is on the scene; None where that is hardly anything."""
        empty = self.reached & ~on_scene
        return np.median(self.over[empty], axis=0).astype(np.float32) if empty.mean() > _BEHIND else None

    def _composed(self, one: Look, shown: Shown) -> Floats:
        """A look as it is shown, before what stands behind it: what the picture has where no look shows the
        scene, or where one of them fills the frame, where this one does not.
        """
        made = displayed_by(one.radiance, shown)
        behind = self._beyond(one.on_scene) if self.behind is None else self.behind
        if behind is None:
            return made
        return np.where(one.on_scene[..., None], made, behind).astype(np.float32)

    def picture(self, ways: Ways) -> Floats:
        """How it looks in some ways, display light (H, W, 3), shown as fits the picture best."""
        return self._composed(self.looks[ways], self.rows[ways].shown)

    def nearer(self, ways: Ways) -> float:
        """How much less the picture differs from a look than from the arrival unbent, where these two differ:
        1 where nothing is left of it, below 0 where it is further away.
        """
        bent, plain = self.picture(ways), self.picture(())
        where = self.domain & (difference(bent, plain) > _SEEN)
        if where.sum() < max(_LEAST * self.domain.sum(), 12):
            return 0.0
        before = float(difference(plain[where], self.over[where]).mean())
        return 1 - float(difference(bent[where], self.over[where]).mean()) / max(before, 1e-6)

    def left(self, ways: Ways) -> tuple[float, float]:
        """Mean ΔE of the picture where a look shows the scene, and what its sampling alone makes of it."""
        where = self.domain & self.looks[ways].on_scene
        made = self.picture(ways)
        off = difference(made[where], self.over[where]) if where.any() else np.zeros(1)
        return float(off.mean()), self.noise(ways)

    def noise(self, ways: Ways = ()) -> float:
        """Mean ΔE that the sampling of a look alone makes: of the arrival unbent where all of them show the
        scene, else where it does.
        """
        one, shown = self.looks[ways], self.rows[ways].shown
        where = self.domain & one.on_scene if ways else self.domain
        if not where.any():
            return 0.0
        other = displayed_by(np.maximum(one.radiance + one.grain, 0), shown)
        return float(difference(displayed_by(one.radiance, shown)[where], other[where]).mean())


def _shrunk(mask: Mask, width: int, height: int) -> Mask:
    rows = (np.arange(height) * mask.shape[0] // height)[:, None]
    columns = (np.arange(width) * mask.shape[1] // width)[None]
    return np.asarray(mask[rows, columns])


def with_small_images(scene: Scene, most: int = TEXELS) -> Scene:
    """The scene with images of at most so many texels a side, averaged in blocks."""
    made = {id: _small(image, most) for id, image in scene.images.items()}
    return Scene(**{**scene.__dict__, "images": made})


def _small(image: Image, most: int) -> Image:
    if not image.usable or image.floating or max(image.width, image.height) <= most:
        return image
    texels = pixels(image)
    step = -(-max(image.width, image.height) // most)
    high, wide = texels.shape[0] // step, texels.shape[1] // step
    if not high or not wide:
        return image
    blocks = texels[: high * step, : wide * step].reshape(high, step, wide, step, -1).astype(np.float32)
    made = np.round(blocks.mean(axis=(1, 3))).astype(texels.dtype)
    return identify(image.id, image.name, image.path, encode(np.ascontiguousarray(made), "png"))
