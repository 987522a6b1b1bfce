"""How far any arrival is from a reference in one view: with the same random numbers each time, so that what
is taken back or added shows by itself.
"""

from __future__ import annotations

from dataclasses import replace

from trasloco.progress import Progress, silent
from trasloco.proof.compare import compare
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.staging import staged
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.model import Scene


class Apart:
    """A reference in a view, at half the size and samples of a proof's ``quality``."""

    def __init__(
        self, reference: Scene, view: View, quality: Quality, ev100: float, progress: Progress = silent
    ) -> None:
        self.reference, self.view, self.ev100 = reference, view, ev100
        self._quality = replace(
            quality,
            width=max(quality.width // 2, 16),
            height=max(quality.height // 2, 16),
            samples=max(quality.samples // 2, 4),
            seconds=0.0,
        )
        self._before = flatten(staged(reference, view, reference))
        self._wanted = render(self._before, view, self._quality, progress)

    def of(self, arrival: Scene, progress: Progress = silent) -> tuple[float, float]:
        """Mean ΔE of an arrival over the picture, and what sampling alone may make of it."""
        there = staged(in_same_surroundings(self.reference, arrival), self.view, self.reference)
        compared = compare(
            self._wanted,
            render(flatten(there), self.view, self._quality, progress),
            self.ev100,
            self._before.material_ids,
            self._before.part_ids,
            quick=True,
        )
        return compared.mean, compared.error
