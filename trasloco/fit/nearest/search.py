"""The search: from closed forms down the slope, then by hand's breadth on the very measure that counts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from scipy.optimize import least_squares, minimize

from trasloco.fit.nearest.model import Doubles, Model
from trasloco.fit.nearest.points import Points
from trasloco.fit.nearest.response import response
from trasloco.fit.nearest.stand import Stand
from trasloco.render.exposure import exposed, tone_curve
from trasloco.scene.color import delta_e, linear_to_lab
from trasloco.scene.model import Material

AsRead = Callable[[list[Material]], list[Material]]
"""What a program makes of materials of even values, where that was measured of it."""
_FOLLOWED, _POLISHED = 2, 260
"""How many of the starts are followed to the end; the most looks of the last part."""
_WORTH = 0.05
"""ΔE that all changes which are left out may be worth."""
STAY = 0.02
"""ΔE that moving a number across its whole range must at least be worth."""


def look(materials: Sequence[Material], on: Stand) -> Doubles:
    """What materials of even values look like on a stand, as shown: CIE Lab (K, N, E, 3)."""
    return linear_to_lab(tone_curve(exposed(response(materials, on).astype(np.float32), on.ev100)))


@dataclass(frozen=True)
class Wanted:
    """The look that is to be met: Lab (K, N, E, 3), the share of each (K, N, E), and how CIEDE2000 grows
    about it (K, N, E, 3, 3): the length of that matrix times a small difference is its ΔE.
    """

    lab: Doubles
    shares: Doubles
    growth: Doubles


def wanted(materials: Sequence[Material], points: Points, on: Stand) -> Wanted:
    """The look of materials of even values, one a point."""
    lab = look(materials, on)
    shares = np.einsum("k,ne->kne", points.shares, on.weights)
    return Wanted(lab, shares, _growth(lab))


def _growth(lab: Doubles) -> Doubles:
    """The root of the metric that CIEDE2000 is about a colour, from its values half a unit away."""
    step = 0.5
    metric = np.zeros((*lab.shape, 3))
    for i in range(3):
        for j in range(i, 3):
            moved = lab.copy()
            moved[..., i] += step
            if i != j:
                moved[..., j] += step
            metric[..., i, j] = (delta_e(lab, moved) / step) ** 2
    for i in range(3):
        for j in range(i + 1, 3):
            metric[..., i, j] = (metric[..., i, j] - metric[..., i, i] - metric[..., j, j]) / 2
            metric[..., j, i] = metric[..., i, j]
    value, vector = np.linalg.eigh(metric)
    return np.asarray(np.sqrt(np.maximum(value, 1e-4))[..., None] * np.swapaxes(vector, -1, -2))


def as_it_is(materials: list[Material]) -> list[Material]:
    return materials


class Measures(Protocol):
    """Anything that tells how far a place in the search is from the look that is wanted."""

    model: Model

    def mean(self, x: Doubles) -> float: ...


class Measure:
    """How far a place in the search is from the look that is wanted."""

    def __init__(self, model: Model, target: Wanted, on: Stand, read: AsRead = as_it_is) -> None:
        self.model, self.target, self.on, self.read = model, target, on, read
        self._root = np.sqrt(target.shares)[..., None]
        self._wide = np.maximum(model.bounds[:, 1] - model.bounds[:, 0], 1e-9)

    def lab(self, x: Doubles) -> Doubles:
        return look(self.read(self.model.materials(x)), self.on)

    def mean(self, x: Doubles) -> float:
        """Mean ΔE (CIEDE2000) over points, places and surroundings."""
        return float((delta_e(self.lab(x), self.target.lab) * self.target.shares).sum())

    def residuals(self, x: Doubles, start: Doubles) -> Doubles:
        """Differences whose squares sum to about the mean square of ΔE, and a slight pull to where the search
        began, so that what changes nothing stays.
        """
        apart = np.einsum("...ij,...j->...i", self.target.growth, self.lab(x) - self.target.lab)
        return np.concatenate([(apart * self._root).ravel(), STAY * (x - start) / self._wide])


def simplified(measure: Measures, found: Doubles) -> Doubles:
    """Without the changes that hardly matter: an input goes back to what it was as long as all that go back
    together cost less than :data:`_WORTH`, the least missed first.
    """
    model, worth = measure.model, measure.mean(found) + _WORTH
    changes = model.changes(found)
    while changes:
        without = {
            name: measure.mean(model.place_of({k: v for k, v in changes.items() if k != name}))
            for name in changes
        }
        least = min(without, key=lambda name: without[name])
        if without[least] > worth:
            break
        del changes[least]
    return model.place_of(changes)


def nearest(measure: Measure, starts: Sequence[Doubles], polished: int = _POLISHED) -> Doubles:
    """The place with the least mean ΔE that is found from some starts."""
    low, high = measure.model.bounds.T
    wide = np.maximum(high - low, 1e-9)
    first = min(starts, key=measure.mean)
    copied = starts[0]
    held = [first]
    for start in sorted(starts, key=measure.mean)[:_FOLLOWED]:
        inside = np.clip(start, low + 1e-3 * wide, high - 1e-3 * wide)
        found = least_squares(
            measure.residuals,
            inside,
            bounds=(low, high),
            x_scale=wide,
            diff_step=[2e-3] * len(inside),
            loss="soft_l1",
            max_nfev=14,
            args=(copied,),
        )
        held.append(found.x)
    best = min(held, key=measure.mean)
    if polished:

        def cost(x: Doubles) -> float:
            at = np.clip(x, low, high)
            return measure.mean(at) + STAY * float(np.mean(np.abs(at - copied) / wide))

        made = minimize(
            cost,
            best,
            method="Powell",
            bounds=list(zip(low, high, strict=True)),
            options={"maxfev": polished, "xtol": 2e-3, "ftol": 1e-3},
        )
        best = min((best, np.clip(made.x, low, high)), key=measure.mean)
    return best
