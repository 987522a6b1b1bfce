"""What smaller deliveries lose beside a whole one, by material and part."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.progress import Progress, silent
from trasloco.proof.compare import apart
from trasloco.proof.figure import figure_of
from trasloco.proof.light_there import in_stand_in_light, is_lit
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.staging import staged
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, auto_ev100, render
from trasloco.scene.model import Scene


class Losing:
    """What arrivals lose beside one, told by the pixels of the reference's materials and parts. ``ev100`` None for
    an exposure by the first view.
    """

    def __init__(
        self,
        reference: Scene,
        arrival: Scene,
        views: Sequence[View],
        quality: Quality,
        ev100: float | None,
        report: Progress = silent,
    ) -> None:
        self._lit: Callable[[Scene], Scene] = (
            (lambda scene: scene) if is_lit(reference) else in_stand_in_light
        )
        self._reference = self._lit(reference)
        self._quality = quality
        self.views = tuple(views)
        self._wanted = self._pictures(arrival, report)
        ids = [
            render(self._flat(reference, view), view, replace(self._quality, samples=1))
            for view in self.views
        ]
        flat = self._flat(reference, self.views[0])
        self._ids = [one.ids for one in ids]
        self._names = (flat.material_ids, flat.part_ids)
        self._ev100 = auto_ev100(self._wanted[0].radiance) if ev100 is None else ev100

    def _flat(self, scene: Scene, view: View) -> Any:
        there = in_same_surroundings(self._reference, self._lit(scene))
        return flatten(staged(there, view, self._reference))

    def _pictures(self, arrival: Scene, report: Progress) -> list[Picture]:
        made = []
        for number, view in enumerate(self.views):
            report(number / len(self.views), f"drawing {view.name}")
            made.append(render(self._flat(arrival, view), view, self._quality))
        return made

    def by_pixel(
        self, arrival: Scene, report: Progress = silent
    ) -> list[tuple[npt.NDArray[Any], npt.NDArray[Any]]]:
        """(H, W) ΔE of each view, and what noise alone makes of it."""
        there = self._pictures(arrival, report)
        return [apart(a, b, self._ev100) for a, b in zip(self._wanted, there, strict=True)]

    def on(
        self, maps: Sequence[tuple[npt.NDArray[Any], npt.NDArray[Any]]], kind: str
    ) -> Mapping[str, tuple[float, bool]]:
        """What each material's or part's pixels lose: mean ΔE over the frame, over the views alike, and whether
        any view shows it.
        """
        names = self._names[kind == "mesh"]
        lost: dict[str, tuple[float, bool]] = dict.fromkeys(names, (0.0, False))
        for (found, floor), ids in zip(maps, self._ids, strict=True):
            numbers = ids[..., int(kind == "mesh")]
            for number in np.unique(numbers[numbers >= 0]):
                there = numbers == number
                cover = float(there.mean())
                value = figure_of(found[there], floor[there]).value * cover / len(maps)
                lost[names[number]] = (lost[names[number]][0] + value, True)
        return lost
