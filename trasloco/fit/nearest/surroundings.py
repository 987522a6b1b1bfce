"""The lights that looks are compared in: the sample's own booth, a low sun, a window behind.

Each is a latitude-longitude picture (H, W, 3) in nit as :func:`trasloco.light.surroundings.directions` has
it, soft enough that a look changes smoothly with what makes it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt
from scipy.ndimage import gaussian_filter

from trasloco.light.surroundings import directions, solid_angles
from trasloco.render.flatten import flatten
from trasloco.render.sample import sample_scene
from trasloco.scene.color import luminance
from trasloco.scene.model import Material, Scene

Doubles = npt.NDArray[np.float64]
ROWS, COLUMNS = 32, 64
_SOFT = 0.8
"""Texels that pictures are softened by: 4.5 degrees."""


@dataclass(frozen=True)
class _Lamp:
    """A soft lamp: radiance ``nit`` in its middle, exp(k (cos - 1)) about it (von Mises and Fisher's lobe)."""

    towards: tuple[float, float, float]
    k: float
    nit: tuple[float, float, float]


def _painted(above: tuple[float, ...], below: tuple[float, ...], *lamps: _Lamp) -> Doubles:
    """A sky between two colours, even steps between by the height, with lamps over it."""
    towards = directions(ROWS, COLUMNS)
    up = 0.5 + 0.5 * towards[..., 1:2]
    light = up * np.array(above) + (1 - up) * np.array(below)
    for lamp in lamps:
        light = light + lobe(towards, np.array(lamp.towards), lamp.k)[..., None] * np.array(lamp.nit)
    return np.asarray(light)


def lobe(directions: Doubles, middle: Doubles, k: float) -> Doubles:
    """exp(k (cos - 1)) about a direction, at unit directions (..., 3)."""
    return np.asarray(np.exp(k * (directions @ (middle / np.linalg.norm(middle)) - 1.0)))


def _low_sun() -> Doubles:
    sun = _Lamp((0.78, 0.36, 0.51), 60.0, (110.0, 95.0, 74.0))
    return _painted((5.0, 6.4, 8.3), (1.9, 1.6, 1.3), sun)


def _window_behind() -> Doubles:
    window = _Lamp((0.25, 0.3, -0.92), 6.0, (22.0, 22.5, 24.0))
    return _painted(
        (1.6, 1.6, 1.7), (1.0, 0.9, 0.8), window, _Lamp((-0.9, 0.1, 0.42), 10.0, (11.0, 10.0, 8.4))
    )


def softened(picture: npt.NDArray[np.floating]) -> Doubles:
    """A picture brought to :data:`ROWS` x :data:`COLUMNS` and softened, its light kept."""
    rows, columns = picture.shape[0] // ROWS, picture.shape[1] // COLUMNS
    if min(rows, columns) > 1:
        held = picture[: rows * ROWS, : columns * COLUMNS].astype(np.float64)
        picture = held.reshape(ROWS, rows, COLUMNS, columns, 3).mean(axis=(1, 3))
    return np.asarray(
        gaussian_filter(picture.astype(np.float64), (_SOFT, _SOFT, 0), mode=("nearest", "wrap", "nearest"))
    )


def booth() -> Doubles:
    """What lights the sample."""
    plain = Material("plain", "plain")
    arrays = flatten(sample_scene(Scene("sample", materials={"plain": plain}), "plain")).arrays
    return softened(arrays.environment[..., :3])


@dataclass(frozen=True)
class Lights:
    """Pictures (E, H, W, 3) in nit; directions (D, 3) picked by all of them together, and the density of that
    over solid angle (H, W).
    """

    pictures: Doubles
    towards: Doubles
    density: Doubles


@dataclass(frozen=True)
class Around:
    """Surroundings that a look is compared in: names, pictures (E, H, W, 3) in nit, and what each counts
    (E,).

    ``places``: for the last of them, normals, directions to the eye and weights of places (N, 3), (N, 3),
    (N,) other than the sample's, None for those.
    """

    names: tuple[str, ...]
    pictures: Doubles
    shares: Doubles
    places: tuple[Doubles, Doubles, Doubles] | None = None


def lights(among: Around, count: int) -> Lights:
    """Lights with ``count`` directions picked by luminance, each picture as strong as the others; the same
    every time.
    """
    pictures, angles = among.pictures, solid_angles(ROWS, COLUMNS)
    power = luminance(pictures) * angles
    chance = (power / power.sum(axis=(1, 2), keepdims=True)).mean(axis=0)
    at = np.searchsorted(np.cumsum(chance), (np.arange(count) + 0.5) / count * chance.sum() * (1 - 1e-9))
    row, column = np.divmod(np.minimum(at, chance.size - 1), COLUMNS)
    rng = np.random.default_rng(3)
    across, along = rng.random(count), rng.random(count)
    top, bottom = np.cos(row / ROWS * np.pi), np.cos((row + 1) / ROWS * np.pi)
    up = top + across * (bottom - top)
    phi = ((column + along) / COLUMNS - 0.5) * 2 * np.pi
    side = np.sqrt(np.maximum(1 - up**2, 0))
    towards = np.stack([side * np.sin(phi), up, -side * np.cos(phi)], axis=1)
    return Lights(np.ascontiguousarray(pictures), towards, chance / angles)


@cache
def three() -> Around:
    """The booth, which counts half, a low sun and a window behind."""
    names = ("its booth", "a low sun", "a window behind")
    return Around(names, np.stack([booth(), _low_sun(), _window_behind()]), np.array([0.5, 0.25, 0.25]))
