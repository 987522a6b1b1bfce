"""How a program shows light, measured: a monotone curve through steps of known glow, and the open formula
that explains it, if one does.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from scipy.interpolate import PchipInterpolator

from trasloco.outside.showing import CURVES, Floats, Shown, difference, displayed_by
from trasloco.scene.color import luminance
from trasloco.scene.model import Doubles

_GAMMA = 1 / 2.4
_EXPLAINED = 0.7
"""Mean ΔE over the ramp up to which a formula explains a curve."""
_CLEARLY = 0.5
"""By how much ΔE of colours luminance has to explain them better than channels."""
_TABLE = 2048
_CLIPPED, _WHITE = 0.992, 0.975
"""The share of the brightest from which on nothing more is told of light, and what white may be shown as
where there is noise that is cut off.
"""


@dataclass(frozen=True)
class Measured:
    """A tone curve as it was measured.

    Attributes:
        stops: (K,) glow of the steps, log2 of nit, rising. shown: (K,) display light of each, rising.
        by: whether channels or luminance go through it. formula: the open curve that explains it, or "".
        formula_stops: its exposure. delta_e: mean ΔE of the best formula over the ramp. span: lowest and
            highest stop between which steps were told apart. knee: (N, 2) stops and display light between the
            last step that is not clipped and where its slope meets white.
    """

    stops: Doubles
    shown: Doubles
    by: str = "channel"
    formula: str = ""
    formula_stops: float = 0.0
    delta_e: float = 0.0
    span: tuple[float, float] = (0.0, 0.0)
    knee: Doubles = field(default_factory=lambda: np.zeros((0, 2)))

    @cached_property
    def held(self) -> float:
        """How well the steps hold each other: the share of those between the first and the last that a curve
        through all others shows within ΔE 1.
        """
        inner = range(1, len(self.stops) - 1)
        if not inner:
            return 0.0
        others = (
            replace(self, stops=np.delete(self.stops, k), shown=np.delete(self.shown, k)) for k in inner
        )
        light = (2.0 ** self.stops[1:-1, None]).repeat(3, axis=1).astype(np.float32)
        told = np.array([one.display(light[k]) for k, one in enumerate(others)])
        seen = self.shown[1:-1, None].repeat(3, axis=1).astype(np.float32)
        return float((difference(told, seen) <= 1).mean())

    def knots(self) -> tuple[Doubles, Doubles]:
        """Stops and display light of all that the curve goes through, rising."""
        stops = np.concatenate([self.stops, self.knee[:, 0]])
        order = np.argsort(stops)
        return stops[order], np.maximum.accumulate(np.concatenate([self.shown, self.knee[:, 1]])[order])

    @cached_property
    def _table(self) -> tuple[Doubles, Doubles]:
        grid = np.linspace(self.stops[0] - 6, self.stops[-1] + 2, _TABLE)
        stops, shown = self.knots()
        inner = PchipInterpolator(stops, shown**_GAMMA)(np.clip(grid, stops[0], stops[-1]))
        # Below the lowest step light and what is shown of it go down together.
        low = (2.0 ** np.minimum(grid - self.stops[0], 0)) ** _GAMMA
        return grid, np.maximum.accumulate((inner * low) ** (1 / _GAMMA))

    def display(self, radiance: Floats, stops: float = 0.0) -> Floats:
        """Radiance (..., 3) in nit as it would be shown, display light, ``stops`` brighter."""
        grid, shown = self._table
        light = np.maximum(np.asarray(radiance, np.float64), 0)
        if self.by == "channel":
            return np.asarray(np.interp(np.log2(np.maximum(light, 1e-9)) + stops, grid, shown), np.float32)
        of = np.maximum(luminance(light), 1e-9)
        made = light / of[..., None] * np.interp(np.log2(of) + stops, grid, shown)[..., None]
        top = max(1.0, float(self.shown[-1]))
        return np.asarray(np.clip(made, 0, top), np.float32)

    def light(self, display: Floats) -> tuple[Floats, np.ndarray]:
        """Radiance in nit (..., 3) that is shown as display light, and where it is sure (...): neither
        clipped nor below the lowest step.
        """
        grid, shown = self._table
        y = np.asarray(display, np.float64)
        keep = np.concatenate([[True], np.diff(shown) > 1e-12])
        of = y if self.by == "channel" else luminance(y)
        made = 2.0 ** np.interp(of, shown[keep], grid[keep])
        light = made if self.by == "channel" else y / np.maximum(of, 1e-9)[..., None] * made[..., None]
        top = _CLIPPED * float(self.shown[-1])
        sure = (y.max(axis=-1) < top) & (y.max(axis=-1) > 0.5 * float(self.shown[0]))
        return np.asarray(light, np.float32), sure


def measured(nit: Doubles, shown: Doubles, colors: tuple[Floats, Floats] | None = None) -> Measured | None:
    """The curve through steps: glow in nit (K,), display light (K,). None where the steps are not told apart.

    ``colors`` are glow (N, 3) in nit and what is shown of it (N, 3): they tell whether channels or luminance go
    through the curve.
    """
    order = np.argsort(nit)
    stops, y = np.log2(nit[order]), np.maximum.accumulate(np.maximum(shown[order], 1e-5))
    rises = np.concatenate([np.diff(y**_GAMMA) > 0.004, [False]])
    seen = np.flatnonzero(rises | np.concatenate([[False], rises[:-1]]))
    if len(seen) < 4:
        return None
    low, high = int(seen[0]), int(seen[-1])
    stops, y = stops[low : high + 1], y[low : high + 1]
    steady = y + np.arange(len(y)) * 1e-9
    made = Measured(stops, steady, span=(float(stops[0]), float(stops[-1])), knee=_knee(stops, steady))
    if colors is not None:
        other = replace(made, by="luminance")
        off = [float(difference(one.display(colors[0]), colors[1]).mean()) for one in (made, other)]
        made = other if off[1] < off[0] - _CLEARLY else made
    return _explained(made, colors)


def _knee(stops: Doubles, shown: Doubles) -> Doubles:
    """Where a curve is cut off between two steps: it goes on as steeply, by logarithms, and then no more."""
    clipped = int(np.argmax(shown >= _WHITE)) if (shown >= _WHITE).any() else 0
    if clipped < 2:
        return np.zeros((0, 2))
    last, before = clipped - 1, clipped - 2
    slope = np.log2(shown[last] / shown[before]) / (stops[last] - stops[before])
    white = stops[last] - np.log2(shown[last]) / max(slope, 1e-6)
    if slope <= 0 or white > stops[clipped] - 1e-3:
        return np.zeros((0, 2))
    at = np.linspace(stops[last], white, 6)[1:]
    return np.stack([at, shown[last] * 2.0 ** (slope * (at - stops[last]))], axis=-1)


def _explained(curve: Measured, colors: tuple[Floats, Floats] | None) -> Measured:
    """With the open formula that comes nearest, named where it explains the curve."""
    grey = np.repeat((2.0**curve.stops)[:, None], 3, axis=1).astype(np.float32)
    seen = np.repeat(curve.shown[:, None], 3, axis=1).astype(np.float32)
    if colors is not None:
        grey, seen = np.concatenate([grey, colors[0]]), np.concatenate([seen, colors[1]])
    best: tuple[float, str, float] | None = None
    for name in CURVES:
        low, high = -12.0, 12.0
        for _ in range(5):
            tried = np.linspace(low, high, 25)
            errors = [
                float(difference(displayed_by(grey, Shown(name, float(s))), seen).mean()) for s in tried
            ]
            at = int(np.argmin(errors))
            step = float(tried[1] - tried[0])
            low, high = float(tried[at]) - step, float(tried[at]) + step
        if best is None or errors[at] < best[0]:
            best = (errors[at], name, float(tried[at]))
    assert best is not None
    named = best[1] if best[0] <= _EXPLAINED else ""
    return replace(curve, formula=named, formula_stops=best[2], delta_e=best[0])
