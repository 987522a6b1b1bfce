"""How a program takes lengths: by the rod of the first board as the program measures it, and by lamps, whose
light tells lengths apart from strengths.

With lengths read f times too long, a point of I candela at what was d metres lights with I / (f d)^2, while a
sheet of L nit grows with its distance and lights as before.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from trasloco.errors import Refused
from trasloco.gauge.numbers import Number
from trasloco.gauge.tones import ROD_M
from trasloco.scene.lengths import METRES, Unit

SHRINK = ("point", "spot")
"""Lamps whose light falls where lengths grow."""
_STAY = ("rectangle", "disc")
_SHORTEST, _LONGEST = 1e-6, 1e6
_TOLD, _ALIKE = 1.5, 0.06
"""From which factor on lengths are told by lamps, and by how much strengths of one kind may differ then."""
_MEASURED = 0.02
"""How far off a measured rod may be and still be a metre: a hand's measure."""


def times_too_long(length: float, unit: Unit) -> float:
    """How many times as long as it is a program makes the rod.

    Raises:
        Refused: no rod is so long or so short.
    """
    if not math.isfinite(length) or not _SHORTEST <= length <= _LONGEST:
        raise Refused(
            "A rod is not so long.",
            f"{length:g} {unit}",
            "Give the length that the program shows for the rod at the bottom of the first board.",
        )
    found = length * METRES[unit] / ROD_M
    return 1.0 if abs(found - 1) <= _MEASURED else found


def by_lamps(strengths: Mapping[str, Number]) -> float | None:
    """How many times too long lengths would have to be for lamps to come in as they do; None where nothing
    says so.
    """
    fall = [strengths[kind].value for kind in SHRINK if kind in strengths]
    stay = [strengths[kind].value for kind in _STAY if kind in strengths]
    if len(fall) < len(SHRINK) or not stay or min(*fall, *stay) <= 0:
        return None
    if max(np.ptp(np.log(fall)), np.ptp(np.log(stay))) > _ALIKE:
        return None
    times = math.sqrt(float(np.mean(stay)) / float(np.mean(fall)))
    return times if abs(math.log(times)) > math.log(_TOLD) else None


def in_words(strengths: Mapping[str, Number], rod: float | None) -> str:
    """What lamps say of lengths, beside the rod; empty where they say nothing."""
    times = by_lamps(strengths)
    if times is None:
        if rod is not None and rod != 1 and all(kind in strengths for kind in (*SHRINK, *_STAY)):
            return (
                f"The rod is {rod:.3g} times as long as it is, and lamps come in as though lengths were right:"
                " the program makes up for it, or the rod was measured in another unit."
            )
        return ""
    if rod is None:
        return (
            f"Points and spots come in as though lengths were {times:.3g} times too long, sheets of light do not."
            " Measure the rod on the first board: it tells whether that is so."
        )
    if abs(math.log(times / rod)) < _ALIKE:
        return f"Lamps say the same of lengths as the rod: {rod:.3g} times as long."
    return f"By the rod lengths are {rod:.3g} times as long, by the lamps {times:.3g} times: strengths differ as well."
