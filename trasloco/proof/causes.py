"""How much of a difference each lost or changed thing is to blame for: it is taken back, and the difference
measured again with the same random numbers.

Over whole pictures, so that the light a thing bounces onto others belongs to it. The few that matter most
share by Shapley's value (Shapley 1953): the mean of what
taking one back brings over all orders, so that two that hide or strengthen each other are treated alike. The
rest are taken back one at a time. What no single one
explains is the remainder, and is shown as such.
"""

from __future__ import annotations

import itertools
import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from trasloco.progress import Progress, part_of, saying, silent
from trasloco.proof.apart import Apart
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.suspect import Suspect
from trasloco.render.picture import Quality, View
from trasloco.scene.model import Scene

MOST_ALONE = 32
MOST_SHARED = 3
LEAST_SHARED = 0.15
"""Mean ΔE a single cause must bring to be shared out by all orders."""


@dataclass(frozen=True)
class Cause:
    """A suspect with its share of the mean ΔE. ``noise`` is what sampling alone may make of the share."""

    suspect: Suspect
    share: float
    noise: float

    @property
    def significant(self) -> bool:
        return abs(self.share) > 2 * self.noise


@dataclass(frozen=True)
class Causes:
    """Causes, largest first; ``remainder`` is the rest of ``mean``, the difference as it was measured for
    them, in ``view``. ``untried`` counts what was left together.
    """

    view: str
    mean: float
    causes: tuple[Cause, ...]
    remainder: float
    untried: int
    seconds: float


def find_causes(
    reference: Scene,
    arrival: Scene,
    found: Sequence[Suspect],
    view: View,
    quality: Quality,
    ev100: float,
    progress: Progress = silent,
) -> Causes:
    """Share the difference of a view out over suspects.

    ``quality`` is the proof's; the work is done at half its size, over all of the picture. ``progress`` may
    raise to cancel.
    """
    began = time.perf_counter()
    tried = list(range(min(len(found), MOST_ALONE)))
    shared = min(MOST_SHARED, len(tried))
    pictures = 2 + len(tried) + 2**shared - 1 - shared
    drawn = 0

    def next_picture(words: str) -> Progress:
        """What is told while another picture is drawn."""
        nonlocal drawn
        drawn += 1
        return saying(part_of(progress, (drawn - 1) / pictures, drawn / pictures), words)

    apart = Apart(reference, view, quality, ev100, next_picture("the whole difference"))
    arrival = in_same_surroundings(reference, arrival)
    known: dict[frozenset[int], tuple[float, float]] = {}

    def measure(undone: frozenset[int], words: str) -> tuple[float, float]:
        """Mean ΔE, and its noise, with some suspects taken back."""
        if undone not in known:
            scene = arrival
            for k in sorted(undone):
                scene = found[k].undo(scene)
            known[undone] = apart.of(scene, next_picture(words))
        return known[undone]

    whole, floor = measure(frozenset(), "the whole difference")
    alone: dict[int, float] = {}
    for k in tried:
        words = f"without {found[k].label.lower()} of {found[k].where}"
        alone[k] = whole - measure(frozenset({k}), words)[0]
    big = [
        k for k in sorted(tried, key=lambda k: -abs(alone[k]))[:MOST_SHARED] if abs(alone[k]) > LEAST_SHARED
    ]
    shares = dict(alone)
    if len(big) > 1:
        together = "shared between the largest"
        shares |= shapley(big, lambda undone: whole - measure(frozenset(undone), together)[0])
    causes = sorted((Cause(found[k], shares[k], floor) for k in tried), key=lambda cause: -cause.share)
    return Causes(
        view.name,
        whole,
        tuple(causes),
        whole - sum(shares.values()),
        len(found) - len(tried),
        time.perf_counter() - began,
    )


def shapley(players: Sequence[int], value: Callable[[Sequence[int]], float]) -> dict[int, float]:
    """Shapley's value of each player: sum over coalitions S without it of |S|! (n - |S| - 1)! / n! x (value(S
    and it) - value(S)); value of nobody is 0.
    """
    n = len(players)
    made = {}
    for player in players:
        others = [p for p in players if p != player]
        total = 0.0
        for size in range(n):
            weight = math.factorial(size) * math.factorial(n - size - 1) / math.factorial(n)
            for coalition in itertools.combinations(others, size):
                total += weight * (value((*coalition, player)) - (value(coalition) if coalition else 0.0))
        made[player] = total
    return made
