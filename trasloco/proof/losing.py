"""What smaller deliveries lose beside a whole one, by material and part."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from trasloco.progress import Progress, part_of, saying, silent
from trasloco.proof.compare import by_pixel
from trasloco.proof.figure import Pixels, error_of, figure_of
from trasloco.proof.light_there import in_some_light
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.staging import staged
from trasloco.render.arrays import FlatScene
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.scene.model import Scene


@dataclass(frozen=True)
class Lost:
    """Mean ΔE over the frame that the pixels of something lose, over all views alike, with what it may be
    more or less; ``seen``: whether any view shows it.
    """

    loss: float = 0.0
    unsure: float = 0.0
    seen: bool = False


class Losing:
    """What arrivals lose beside one, told by the pixels of the reference's materials and parts. ``ev100``
    None for an exposure by the first view.
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
        self._reference, self._quality, self.views = reference, quality, tuple(views)
        self._lit = in_some_light(reference, reference)
        self._wanted = self._pictures(arrival, report)
        flats = [self._flat(reference, view) for view in self.views]
        once = replace(quality, samples=1)
        self._ids = [render(flat, view, once).ids for flat, view in zip(flats, self.views, strict=True)]
        self._names = (flats[0].material_ids, flats[0].part_ids)
        self._ev100 = auto_ev100(self._wanted[0].radiance) if ev100 is None else ev100

    def _flat(self, scene: Scene, view: View) -> FlatScene:
        there = in_same_surroundings(self._lit, in_some_light(scene, self._reference))
        return flatten(staged(there, view, self._lit))

    def _pictures(self, arrival: Scene, report: Progress) -> list[Picture]:
        made = []
        for number, view in enumerate(self.views):
            share = part_of(report, number / len(self.views), (number + 1) / len(self.views))
            drawing = saying(share, f"drawing {view.name}")
            drawing(0.0, "")
            made.append(render(self._flat(arrival, view), view, self._quality, drawing))
        return made

    def by_pixel(self, arrival: Scene, report: Progress = silent) -> list[Pixels]:
        """(H, W) ΔE of each view, with its noise."""
        there = self._pictures(arrival, report)
        return [by_pixel(a, b, self._ev100) for a, b in zip(self._wanted, there, strict=True)]

    def on(
        self,
        maps: Sequence[Pixels],
        by: Literal["material", "part"],
        owners: Mapping[str, str] | None = None,
    ) -> dict[str, Lost]:
        """What the pixels of each material, or of each part, lose; where ``owners`` are given, what those lose
        that have the same, by it.
        """
        of_parts = int(by == "part")
        owned = [(owners or {}).get(id, id) for id in self._names[of_parts]]
        names = list(dict.fromkeys(owned))
        number_of = np.array([*(names.index(id) for id in owned), -1])
        lost = dict.fromkeys(names, Lost())
        for pixels, ids in zip(maps, self._ids, strict=True):
            # What is of nothing has the number -1, which takes the last of these.
            numbers = number_of[np.maximum(ids[..., of_parts], -1)]
            for number in np.unique(numbers[numbers >= 0]):
                there = numbers == number
                seen, share = pixels.at(there), float(there.mean()) / len(maps)
                before = lost[names[number]]
                lost[names[number]] = Lost(
                    before.loss + share * figure_of(seen).value,
                    math.hypot(before.unsure, share * error_of(seen)),
                    True,
                )
        return lost
