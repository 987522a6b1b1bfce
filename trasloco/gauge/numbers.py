"""What a gauge tells as numbers: strengths of lamps against what glows, what roughness means, how the
surroundings lie.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import ndimage
from scipy.optimize import minimize_scalar
from scipy.spatial.transform import Rotation

from trasloco.gauge.around import MIRROR, RADIUS, radiance_from
from trasloco.gauge.curve import Measured
from trasloco.gauge.expected import Expected, places_in
from trasloco.gauge.layout import DISTANCE, FRAME_WIDTH, cell_place
from trasloco.gauge.lines import POWERS
from trasloco.gauge.patches import Seen, patches
from trasloco.outside.showing import Floats, difference
from trasloco.scene.model import Doubles

Places = npt.NDArray[np.int64]
_FOUND, _BETTER = 0.6, 0.1
"""The least correlation of what mirrors show with the surroundings, and by how much the next may not reach
it.
"""
_PAST = 0.2
"""What goes less towards the front than this may meet the wall or another prop."""
_LEAST_MIRRORED, _FEW, _DARK = 200, 1200, 0.05
"""Pixels that must show a mirror, how many are looked at first, and light in nit below which all is alike."""
_UNDER_A_PIXEL = np.array([(x, y) for y in (-0.45, 0.0, 0.45) for x in (-0.45, 0.0, 0.45)])
"""(9, 2) places under a pixel of a raster, which is soft at its border, against its middle, in pixels."""
_SOFTER_PX = 0.5
"""By how much a picture may be softer than it is thought to be."""
_SOFT_PX, _EVEN = 1.5, 0.05
"""Light of lamps is softened, for it has grain; and by which share it may change from one pixel to the next
where a strength is measured.
"""
_NEAREST, _WELL, _NO_LIGHT, _FEWEST = 0.6, 0.25, 1e-4, 40
"""Shares of a lamp's brightest light: where it is nearest, where how it falls off and where its edge lies do
not count, and where it lights well; the light in nit below which there is none, and how many pixels there
must be.
"""
_ALIKE_PX = 20
"""Pixels whose errors are those of one: grain is softened, and a place is a little off for all of them."""
_LEAST_LIGHT = 0.01
"""A lamp whose light in its cell is below this share of what is expected is not there."""


@dataclass(frozen=True)
class Number:
    """A number with its standard deviation."""

    value: float
    unsure: float

    def within(self, off: float) -> float:
        """How likely it lies no farther off than that, from 0 to 1, were its errors normal."""
        return math.erf(off / (self.unsure * math.sqrt(2))) if self.unsure > 0 else 1.0

    def side_of(self, limit: float) -> float:
        """How likely it lies on that side of a limit on which it was found."""
        return (1 + self.within(abs(self.value - limit))) / 2


def _middle(values: npt.NDArray[Any], apart: float = 1.0) -> Number:
    """The median, and its spread by the median deviation; so many neighbours are taken for one value."""
    middle = float(np.median(values))
    spread = 1.4826 * float(np.median(np.abs(values - middle)))
    return Number(middle, spread / math.sqrt(max(len(values) / apart, 1.0)))


def exposure(curve: Measured, one: Expected, picture: Floats) -> Number | None:
    """Stops by which a picture is brighter than the one that the curve was measured in, by the steps of glow
    that every board has; None where they are not seen.
    """
    nit = patches(one, one.base[0], ("step",)).mean(axis=1)
    shown = patches(one, picture, ("step",))
    light, sure = curve.light(shown.astype(np.float32))
    held = sure & (nit > 0) & (light.mean(axis=1) > 0)
    if not held.any():
        return None
    off = np.log2(light.mean(axis=1)[held] / nit[held])
    return Number(float(np.median(off)), float(np.abs(off - np.median(off)).max()))


def sun_strength(curve: Measured, one: Expected, picture: Floats, stops: float) -> Number | None:
    """How strong the sun is against what is expected of it, by grey sheets in it."""
    meant = patches(one, one.base[1], ("grey",)).mean(axis=1)
    light, sure = curve.light(patches(one, picture, ("grey",)).astype(np.float32))
    ratio = light.mean(axis=1) * 2.0**-stops / np.maximum(meant, 1e-9)
    held = sure & (meant > 1e-4)
    if held.sum() < 2:
        return None
    return _middle(ratio[held])


def lamp_strength(curve: Measured, meant: Floats, shown: Floats, stops: float) -> Number | None:
    """How strong the lamp of a cell is: its light (2, h, w, 3) as expected against what is shown (h, w, 3),
    where it is nearest; None where nothing can be said.
    """
    return _ratio(curve, meant, shown, stops, _NEAREST, _EVEN)


def lamp_gain(curve: Measured, meant: Floats, shown: Floats, stops: float) -> float:
    """The same over all that the lamp lights well: what makes one reading most like the picture."""
    found = _ratio(curve, meant, shown, stops, _WELL, np.inf)
    return found.value if found is not None else 1.0


def _ratio(
    curve: Measured, meant: Floats, shown: Floats, stops: float, least: float, even: float
) -> Number | None:
    """Light that is shown over light that is expected, where that is at least a share of its brightest and
    changes by
    no more than a share from one pixel to the next: a picture that is a little soft would tell another there.
    """
    light, sure = curve.light(shown)
    expected = ndimage.gaussian_filter(meant[1].mean(axis=-1), _SOFT_PX)
    light = ndimage.gaussian_filter(light.mean(axis=-1), _SOFT_PX)
    brightest = float(np.percentile(expected, 95))
    if brightest < _NO_LIGHT:
        return None
    strong = expected > least * brightest
    smooth = np.hypot(*np.gradient(expected)) < even * np.maximum(expected, 1e-9)
    held = sure & strong & smooth & (meant[0].mean(axis=-1) < 0.05 * expected)
    if held.sum() < _FEWEST:
        # All of it may be dark: then the lamp is off.
        dark = float(shown[strong].mean()) < 0.6 * float(curve.shown[0]) + 1e-4
        return Number(0.0, _LEAST_LIGHT) if dark else None
    return _middle(light[held] * 2.0**-stops / expected[held], _ALIKE_PX)


def roughness_power(
    curve: Measured, one: Expected, mine: Seen, stops: float, sun: float
) -> tuple[Number, float] | None:
    """To which power roughness is taken, between those that were rendered, and the mean ΔE that is left."""
    crops = one.crops.get("roughness")
    if crops is None or any(c is None for c in crops):
        return None
    cells = [cell for cell in (crops[0] or {}) if mine.reaches(one.cells[cell])]
    if not cells:
        return None
    logs = np.log(POWERS)
    stacks = {
        cell: np.log(np.maximum(np.stack([(c or {})[cell][1] for c in crops]) * sun, 1e-6)) for cell in cells
    }
    shown = {cell: mine.cell(one.cells[cell]) for cell in cells}

    def cost(at: float, of: list[str], soft_px: float) -> float:
        made = []
        for cell in of:
            k = int(np.clip(np.searchsorted(logs, at) - 1, 0, len(logs) - 2))
            t = (at - logs[k]) / (logs[k + 1] - logs[k])
            light = np.exp(stacks[cell][k] * (1 - t) + stacks[cell][k + 1] * t)
            look = curve.display(light.astype(np.float32), stops)
            look = ndimage.gaussian_filter(look, (soft_px, soft_px, 0)) if soft_px else look
            made.append(difference(look, shown[cell]).mean())
        return float(np.mean(made))

    def best(of: list[str], soft_px: float = 0.0) -> tuple[float, float]:
        coarse = min(np.linspace(logs[0], logs[-1], 17), key=lambda at: cost(at, of, soft_px))
        step = float(logs[-1] - logs[0]) / 16
        bounds = (max(coarse - step, logs[0]), min(coarse + step, logs[-1]))
        found = minimize_scalar(lambda at: cost(at, of, soft_px), bounds=bounds, method="bounded")
        return float(np.exp(found.x)), float(found.fun)

    power, off = best(cells)
    # How sure that is: each ball by itself tells, and what it would be were the picture a little softer than thought.
    alone = [best([cell])[0] for cell in cells]
    spread = float(np.std(alone, ddof=1)) / math.sqrt(len(alone)) if len(alone) > 1 else power
    return Number(power, math.hypot(spread, power - best(cells, _SOFTER_PX)[0])), off


@dataclass(frozen=True)
class Lies:
    """How the surroundings lie against the board: turned about +Y in radians, mirrored, and by which quarter
    turns the board was tipped before; ``correlation`` of what the mirrors show with that, and of the next
    best way. ``unsure_rad`` is half of what two halves of the mirrors lie apart; ``level`` how bright they
    are. ``looks`` counts what was seen apart.
    """

    turn_rad: float
    mirrored: bool
    up: str
    level: Number
    correlation: float
    next_best: float
    unsure_rad: float
    looks: float = 1.0

    @property
    def confidence(self) -> float:
        """How likely this way is nearer than the next best, by Fisher's z of two correlations."""
        z = math.atanh(min(self.correlation, 0.9999)) - math.atanh(min(max(self.next_best, -0.99), 0.9999))
        return 0.5 * (1 + math.erf(z * math.sqrt(max(self.looks - 3, 0.0)) / 2))

    @property
    def sure(self) -> bool:
        return self.correlation > _FOUND and self.correlation - self.next_best > _BETTER

    @property
    def turn_deg(self) -> float:
        return math.degrees(self.turn_rad)


_TIPPED: Mapping[str, Rotation] = {
    "as written": Rotation.identity(),
    "tipped back": Rotation.from_euler("x", -90, degrees=True),
    "tipped forward": Rotation.from_euler("x", 90, degrees=True),
    "upside down": Rotation.from_euler("x", 180, degrees=True),
}


def how_surroundings_lie(curve: Measured, one: Expected, mine: Seen, stops: float) -> Lies | None:
    """Found by what two mirroring balls show. None where they are not seen."""
    looks, lights = [], []
    for cell in (one.cells[key] for key in ("mirror", "mirror2") if mine.reaches(one.cells[key])):
        around = places_in(cell, one.width)[..., None, :] + _UNDER_A_PIXEL * FRAME_WIDTH / one.width
        toward, on = mirrored_in(cell, around)
        light, sure = curve.light(mine.cell(cell))
        held = on.all(axis=-1) & sure
        looks.append(toward[held])
        lights.append(light[held] * 2.0**-stops / MIRROR)
    if sum(map(len, lights)) < _LEAST_MIRRORED:
        return None
    look, light = np.concatenate(looks), np.concatenate(lights).astype(np.float64)
    seen = np.log(light + _DARK)
    some = np.random.default_rng(1).permutation(len(look))[:_FEW]

    def cost(turn: float, mirrored: bool, name: str) -> float:
        """Of a few pixels' middles."""
        there = _from_there(look[some, len(_UNDER_A_PIXEL) // 2], turn, mirrored, name)
        return -_alike(np.log(there + _DARK), seen[some])

    def closest(start: float, mirrored: bool, name: str, of: Places) -> tuple[float, float]:
        """The turn about a start by some pixels, as wide as they are: what it costs, and which."""

        def close_cost(turn: float) -> float:
            there = _from_there(look[of], turn, mirrored, name).mean(axis=1)
            return -_alike(np.log(there + _DARK), seen[of])

        bounds = (start - np.radians(6), start + np.radians(6))
        found = minimize_scalar(close_cost, bounds=bounds, method="bounded", options={"xatol": 1e-4})
        return float(found.fun), float(found.x)

    ways: list[tuple[float, float, bool, str]] = []
    for name in _TIPPED:
        for mirrored in (False, True):
            tried = [(cost(turn, mirrored, name), float(turn)) for turn in np.radians(np.arange(0, 360, 6))]
            ways.append((*min(tried), mirrored, name))
    every = np.arange(len(look))
    best = [(*closest(start, m, n, every), m, n) for _, start, m, n in sorted(ways)[:3]]
    (value, turn, mirrored, name), second = sorted(best)[:2]
    halves = [closest(turn, mirrored, name, half)[1] for half in np.array_split(every, 2)]
    level = _middle(
        (light / np.maximum(_from_there(look, turn, mirrored, name).mean(axis=1), 1e-3)).ravel(), _ALIKE_PX
    )
    unsure = abs(halves[0] - halves[1]) / 2
    turn = float((turn + np.pi) % (2 * np.pi) - np.pi)
    return Lies(turn, mirrored, name, level, -value, -second[0], unsure, len(every) / _ALIKE_PX)


def _from_there(looks: Doubles, turn_rad: float, mirrored: bool, tipped: str) -> Doubles:
    """Radiance (..., 3) that comes from directions (..., 3), where the surroundings lie so."""
    turned = _TIPPED[tipped] * Rotation.from_euler("y", -turn_rad)
    there = looks @ turned.as_matrix().T
    return radiance_from(there * np.array([-1.0, 1.0, 1.0]) if mirrored else there).astype(np.float64)


def _alike(a: Doubles, b: Doubles) -> float:
    """Correlation of values (N, 3), each channel about its own mean."""
    a, b = a - a.mean(axis=0), b - b.mean(axis=0)
    size = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum()) / size if size > 1e-12 else 0.0


def mirrored_in(cell: tuple[int, int], places: Doubles) -> tuple[Doubles, npt.NDArray[np.bool_]]:
    """Directions (..., 3) that a ball in a cell mirrors towards the camera at places (..., 2) against the
    cell's middle, and where they go past the board.
    """
    eye, middle = np.array([0.0, 0.0, DISTANCE]), np.array([*cell_place(*cell), 0.0])
    ray = np.concatenate([places, np.zeros((*places.shape[:-1], 1))], axis=-1) + middle - eye
    ray /= np.linalg.norm(ray, axis=-1, keepdims=True)
    along = (ray * (middle - eye)).sum(axis=-1)
    near = ((middle - eye) ** 2).sum() - along**2
    on = near < (0.9 * RADIUS) ** 2
    far = along - np.sqrt(np.maximum(RADIUS**2 - near, 0))
    normal = (eye + far[..., None] * ray - middle) / RADIUS
    away = ray - 2 * (ray * normal).sum(axis=-1, keepdims=True) * normal
    return away, on & (away[..., 2] > _PAST)
