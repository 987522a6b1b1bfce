"""Numbers of a material found from a picture: rendered again and again in the light of the scene, until the
material looks as it does there (Gauss and Newton's least squares, Moré 1978, within their ranges).

Only pixels that show the material count, and the same random numbers are drawn throughout. How bright the
picture is follows from all that is around the material.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import ndimage
from scipy.optimize import least_squares

from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS
from trasloco.outside.light_match import Mask
from trasloco.outside.registering import covered
from trasloco.outside.showing import Shown, best_shown, difference, displayed_by
from trasloco.outside.shrinking import shrunk
from trasloco.outside.trials import with_small_images
from trasloco.progress import Progress, silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, Picture, Quality, View, render
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.model import Doubles, Input, Material, Scene

MATCHED = ("base_color", "roughness", "metalness", "specular", "clearcoat")
"""Inputs whose numbers can be found."""
QUALITY = Quality(320, 180, 16, 4)
_STEP, _ROUNDS = 0.05, 7
"""The difference that slopes are taken over, and how many steps are taken at most."""
_SOFT_PX, _SHARED = 1.0, 16.0
"""By how much codes are softened that are compared, and how many pixels share what does not fit then."""
_LEAST, _FEWEST = 0.02, 60
"""The least roughness, and the fewest pixels that must show a material."""
_ENOUGH, _NARROWEST = 4000, 120
"""So many pixels of a material tell its numbers, and how wide a picture is at least."""
_UNSEEN = 0.2
"""A number that is less sure than this is not believed."""


@dataclass(frozen=True)
class FoundNumber:
    """An input's number as it is and as the picture has it, with its standard deviation (the largest of its
    channels).
    """

    name: str
    before: tuple[float, ...]
    after: tuple[float, ...]
    unsure: float

    @property
    def sure(self) -> bool:
        """Whether it is to be believed."""
        return self.unsure < _UNSEEN


@dataclass(frozen=True)
class MaterialMatch:
    """What the picture says of a material: its numbers, mean ΔE on it before and after, which share of the frame
    it fills, and how all looks with them, display light (H, W, 3).
    """

    numbers: tuple[FoundNumber, ...]
    before: float
    after: float
    cover: float
    picture: Floats


def match_material(
    scene: Scene,
    material: str,
    names: Sequence[str],
    view: View,
    picture: Floats,
    reaches: Mask,
    curve: str,
    progress: Progress = silent,
    quality: Quality | None = None,
) -> MaterialMatch:
    """Find numbers of a material from a picture (H, W, 3), display light, that lies over what a view sees and
    reaches (H, W); ``curve`` is how it is shown.

    Raises:
        Refused: the picture hardly shows the material, or none of its numbers can be found.
    """
    given = scene.materials[material]
    wanted = [name for name in names if name in MATCHED]
    if not wanted:
        raise Refused("No number was chosen.", given.name, "Choose one or more of them.")
    quality = quality or QUALITY
    small = with_small_images(scene)

    def trial_of(width: int) -> _Trial:
        size = replace(
            quality, width=width, height=max(round(width * picture.shape[0] / picture.shape[1]), 16)
        )
        seen, sound = shrunk(picture, curve, size.width, size.height)
        sound = sound & covered(reaches, size.width, size.height)
        return _trial(small, given, wanted, view, size, seen, sound, curve)

    trial = trial_of(quality.width)
    enough = math.sqrt(_ENOUGH / float(trial.where.sum()))
    if enough < 0.9:  # what fills the frame is told by fewer pixels as well
        trial = trial_of(max(round(quality.width * enough), _NARROWEST))
    done, most = 0, _ROUNDS * (len(trial.start) + 1)

    def off(x: Doubles) -> Doubles:
        nonlocal done
        done += 1
        progress(min(done / most, 1.0), f"trying {given.name}")
        return trial.off(x)

    def slopes(x: Doubles) -> Doubles:
        here = trial.off(x)
        columns = []
        for k in range(len(x)):
            step = -_STEP if x[k] + _STEP > trial.high[k] else _STEP
            other = x.copy()
            other[k] += step
            columns.append((off(other) - here) / step)
        return np.stack(columns, axis=1)

    solve: Any = least_squares
    start = np.clip(trial.start, trial.low + 1e-3, trial.high - 1e-3)
    found = solve(
        off, start, jac=slopes, bounds=(trial.low, trial.high), loss="soft_l1", f_scale=0.03, max_nfev=_ROUNDS
    )
    x = np.asarray(found.x, np.float64)
    return trial.told(x, _spread(trial, x, slopes(x)))


@dataclass(frozen=True)
class _Trial:
    scene: Scene
    given: Material
    names: Sequence[str]
    view: View
    quality: Quality
    seen: Floats
    where: Mask
    shown: Shown
    first: Picture
    start: Doubles
    low: Doubles
    high: Doubles
    looks: dict[bytes, Floats] = field(default_factory=dict, repr=False)

    def made(self, x: Doubles) -> Scene:
        inputs, at = dict(self.given.inputs), 0
        for name in self.names:
            count = INPUTS[name].channels
            held = inputs.get(name, Input(INPUTS[name].default))
            inputs[name] = replace(held, factor=tuple(float(v) for v in x[at : at + count]))
            at += count
        return self.scene.with_material(replace(self.given, inputs=inputs))

    def look(self, x: Doubles) -> Floats:
        """Display light (H, W, 3) with such numbers; what was looked at is not rendered again."""
        key = x.tobytes()
        if key not in self.looks:
            made = render(flatten(self.made(x)), self.view, self.quality)
            self.looks[key] = displayed_by(made.radiance, self.shown)
        return self.looks[key]

    def off(self, x: Doubles) -> Doubles:
        """How far codes lie apart where the material is seen."""
        apart = np.where(self.where[..., None], linear_to_srgb(self.look(x)) - linear_to_srgb(self.seen), 0)
        soft = ndimage.gaussian_filter(apart, (_SOFT_PX, _SOFT_PX, 0))
        return np.asarray(soft[self.where], np.float64).ravel()

    def told(self, x: Doubles, spread: Doubles) -> MaterialMatch:
        look, before = self.look(x), displayed_by(self.first.radiance, self.shown)
        numbers, at = [], 0
        for name in self.names:
            part = slice(at, at + INPUTS[name].channels)
            held = self.given.inputs.get(name, Input(INPUTS[name].default)).factor
            after = tuple(float(v) for v in x[part])
            numbers.append(FoundNumber(name, held, after, float(spread[part].max())))
            at = part.stop
        lies = [float(difference(self.seen[self.where], one[self.where]).mean()) for one in (before, look)]
        return MaterialMatch(tuple(numbers), lies[0], lies[1], float(self.where.mean()), look)


def _trial(
    scene: Scene,
    given: Material,
    names: Sequence[str],
    view: View,
    quality: Quality,
    seen: Floats,
    sound: Mask,
    curve: str,
) -> _Trial:
    flat = flatten(scene)
    first = render(flat, view, quality)
    number = flat.material_ids.index(given.id) if given.id in flat.material_ids else -1
    shows = (first.ids[..., 0] == number) & sound
    where = ndimage.binary_erosion(shows) if ndimage.binary_erosion(shows).sum() >= _FEWEST else shows
    if where.sum() < _FEWEST:
        raise Refused(
            "The picture hardly shows this material.",
            given.name,
            "Choose another, or give a picture that is taken from nearer.",
        )
    around = (first.ids[..., 0] >= 0) & sound & ~shows
    held = around if around.sum() >= _FEWEST else where
    shown = best_shown(first.radiance[held], seen[held], (curve,))
    start = [value for name in names for value in given.inputs.get(name, Input(INPUTS[name].default)).factor]
    low = [_LEAST if name == "roughness" else 0.0 for name in names for _ in range(INPUTS[name].channels)]
    high = np.maximum(1.0, 2 * np.array(start) * (np.array(start) > 1))
    return _Trial(
        scene,
        given,
        tuple(names),
        view,
        quality,
        seen,
        where,
        shown,
        first,
        np.array(start, np.float64),
        np.array(low, np.float64),
        np.asarray(high, np.float64),
    )


def _spread(trial: _Trial, x: Doubles, slopes: Doubles) -> Doubles:
    """Standard deviations (N,): by what does not fit, which neighbours share, and by how the numbers would move
    were a part of the picture left out (a jackknife over its parts, Quenouille 1956), whichever is more.
    """
    left = trial.off(x)
    normal = slopes.T @ slopes
    variance = float((left**2).mean()) * _SHARED
    moved = []
    for part in _parts(trial.where):
        rest = ~np.repeat(part, 3)
        if rest.all() or not rest.any():
            continue
        step, *_ = np.linalg.lstsq(slopes[rest], -left[rest], rcond=1e-6)
        moved.append(step)
    of_parts = np.zeros(len(x))
    if len(moved) > 1:
        steps = np.stack(moved)
        of_parts = (len(moved) - 1) / len(moved) * ((steps - steps.mean(axis=0)) ** 2).sum(axis=0)
    of_rest = np.diag(np.linalg.pinv(normal)) * variance
    return np.asarray(np.sqrt(np.maximum(np.maximum(of_rest, of_parts), _own(normal))))


def _parts(where: Mask) -> list[Mask]:
    """Parts (N,) of the pixels that count, three by three."""
    rows, columns = np.nonzero(where)
    return [
        (np.digitize(rows, np.quantile(rows, (1 / 3, 2 / 3))) == i)
        & (np.digitize(columns, np.quantile(columns, (1 / 3, 2 / 3))) == j)
        for i in range(3)
        for j in range(3)
    ]


def _own(normal: Doubles) -> npt.NDArray[np.float64]:
    """What no slope says is not known at all."""
    return np.where(np.diag(normal) < 1e-6, 1.0, 0.0)
