"""A destination's model of a material, as numbers that can be searched: which of its inputs may change,
between which bounds, and what a set of numbers means at each point of the material.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import numpy.typing as npt

from trasloco.fit.fitted import Change
from trasloco.fit.nearest.points import held_or_default
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import AlphaMode, Input, Material

Doubles = npt.NDArray[np.float64]
Values = Mapping[str, Doubles]
"""Inputs at the points of a material, linear (K, C)."""
How = Literal["number", "line", "gain"]
LEAST_GAIN, MOST_GAIN, MOST_OFFSET = 0.0, 4.0, 0.5
BOUNDS = {"ior": (1.0, 2.5)}
"""Of numbers; what is not here is a share."""
SURFACE = ("base_color", "roughness", "metalness", "specular", "specular_color", "ior", "opacity")
"""What nearly every model has, in the order in which it is told."""
BESIDE: Mapping[str, tuple[str, ...]] = {
    "clearcoat": ("clearcoat_color", "clearcoat_darkening", "anisotropy", "clearcoat_roughness"),
    "clearcoat_roughness": ("clearcoat_color", "clearcoat_darkening", "anisotropy", "clearcoat"),
    "sheen_color": ("sheen_roughness",),
    "transmission": ("transmission_scatter", "transmission_scatter_anisotropy"),
    "diffuse_transmission": ("subsurface",),
    "diffuse_transmission_color": ("subsurface",),
}
"""Inputs that may change too where one of others does not arrive."""


@dataclass(frozen=True)
class Free:
    """An input that may change: as a ``number``, along a ``line`` where an image lies under it, or by a
    ``gain`` alone where the destination multiplies colours on points in.
    """

    name: str
    how: How

    @property
    def channels(self) -> int:
        return INPUTS[self.name].channels

    def bounds(self) -> Iterator[tuple[float, float]]:
        if self.how != "number":
            yield from [(LEAST_GAIN, MOST_GAIN)] * self.channels
        if self.how != "gain":
            yield from [self.number_range] * self.channels

    @property
    def number_range(self) -> tuple[float, float]:
        """Between which its number lies, or what is added along a line."""
        return (-MOST_OFFSET, MOST_OFFSET) if self.how == "line" else BOUNDS.get(self.name, (0.0, 1.0))

    @property
    def size(self) -> int:
        return self.channels * (2 if self.how == "line" else 1)


@dataclass(frozen=True)
class Model:
    """Inputs as copied, at each point; those that may change; how the destination draws it.

    A place in the search is a vector: for each free input its gains and offsets, or its numbers.
    """

    copied: Values
    free: tuple[Free, ...]
    alpha_mode: AlphaMode
    alpha_cutoff: float
    count: int

    @cached_property
    def bounds(self) -> Doubles:
        """Lowest and highest (n, 2)."""
        return np.array([pair for one in self.free for pair in one.bounds()], np.float64).reshape(-1, 2)

    def _parts(self, x: Doubles) -> Iterator[tuple[Free, Doubles]]:
        start = 0
        for one in self.free:
            yield one, x[start : start + one.size]
            start += one.size

    def given(self, name: str) -> Doubles:
        return held_or_default(self.copied, name, self.count)

    def values(self, x: Doubles) -> dict[str, Doubles]:
        """What a place in the search means at each point."""
        made = dict(self.copied)
        for one, part in self._parts(x):
            if one.how == "number":
                made[one.name] = np.tile(part, (self.count, 1))
            else:
                gain, offset = _along(one, part)
                made[one.name] = np.clip(gain * self.given(one.name) + offset, 0, 1)
        return made

    def materials(self, x: Doubles) -> list[Material]:
        """A place in the search as materials of even values, one for each point."""
        held = self.values(x)
        return [
            Material(
                f"point:{k}",
                "",
                {name: Input(tuple(float(v) for v in value[k])) for name, value in held.items()},
                alpha_mode=self.alpha_mode,
                alpha_cutoff=self.alpha_cutoff,
            )
            for k in range(self.count)
        ]

    def place(self, wanted: Values, shares: Doubles) -> Doubles:
        """The place in the search that is nearest to wanted values at the points."""
        found: list[float] = []
        for one in self.free:
            target = np.asarray(wanted.get(one.name, self.given(one.name)))
            if one.how == "number":
                found += [float(v) for v in shares @ target]
                continue
            gains, offsets = [], []
            for given, meant in zip(self.given(one.name).T, target.T, strict=True):
                gain, offset = _line(given, meant, shares, one.how == "gain")
                gains.append(gain)
                offsets.append(offset)
            found += gains + (offsets if one.how == "line" else [])
        return np.asarray(np.clip(np.array(found), self.bounds[:, 0], self.bounds[:, 1]))

    def changes(self, x: Doubles) -> dict[str, Change]:
        """A place in the search as what becomes of each input; those that stay as they are are left out."""
        made = {}
        for one, part in self._parts(x):
            if one.how == "number":
                change = Change((0.0,) * one.channels, _rounded(part))
                same = np.allclose(part, self.given(one.name)[0], atol=2e-3)
            else:
                gain, offset = _along(one, part)
                change = Change(_rounded(gain), _rounded(offset))
                same = np.allclose(gain, 1, atol=2e-3) and np.allclose(offset, 0, atol=2e-3)
            if not same:
                made[one.name] = change
        return made

    def place_of(self, changes: Mapping[str, Change]) -> Doubles:
        """The place in the search of changes; what they do not name stays as it is."""
        found: list[float] = []
        for one in self.free:
            change = changes.get(one.name)
            if change is None:
                n = one.channels
                still = {"line": [1.0] * n + [0.0] * n, "gain": [1.0] * n}
                found += still.get(one.how, [float(v) for v in self.given(one.name)[0]])
            else:
                told = {"line": (*change.gain, *change.offset), "gain": change.gain}
                found += told.get(one.how, change.offset)
        return np.asarray(np.clip(np.array(found), self.bounds[:, 0], self.bounds[:, 1]))


def _along(one: Free, part: Doubles) -> tuple[Doubles, Doubles]:
    n = one.channels
    return part[:n], part[n:] if one.how == "line" else np.zeros(n)


def _rounded(values: Doubles) -> tuple[float, ...]:
    return tuple(round(float(v), 4) for v in values)


def _line(given: Doubles, meant: Doubles, shares: Doubles, through_nought: bool) -> tuple[float, float]:
    """Gain and offset of the line through values, weighed by their shares; a factor where they do not
    differ.
    """
    if through_nought:
        square = float(shares @ given**2)
        gain = float(shares @ (given * meant)) / square if square > 1e-9 else 1.0
        return min(max(gain, LEAST_GAIN), MOST_GAIN), 0.0
    middle, aim = float(shares @ given), float(shares @ meant)
    spread = float(shares @ (given - middle) ** 2)
    if spread < 1e-6:
        return (aim / middle, 0.0) if middle > 1e-3 and aim / middle <= MOST_GAIN else (1.0, aim - middle)
    gain = float(shares @ ((given - middle) * (meant - aim))) / spread
    gain = min(max(gain, LEAST_GAIN), MOST_GAIN)
    return gain, aim - gain * middle
