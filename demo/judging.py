"""How well a gauge read a stranger, whose ways are known."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from demo.stranger import Stranger
from trasloco.gauge.expected import Expected
from trasloco.gauge.lines import LINES
from trasloco.gauge.reading import Readings
from trasloco.gauge.shine import ROUGHNESS
from trasloco.outside.showing import Shown, difference, displayed_by


@dataclass(frozen=True)
class Judged:
    """What came of one stranger.

    Attributes:
        lines: by key, the confidence, whether it was told as measured, and whether it is right.
        strengths: by kind, how far off the strength is, as a share. roughness: how far off the roughness that
            stands for a written one lies at most. turn_deg, mirrored: how far off the turn is, and whether
            mirroring is right; None where it was not told. curve: mean and largest ΔE of the curve over the
            stops that it spans.
    """

    lines: Mapping[str, tuple[float, bool, bool]]
    strengths: Mapping[str, float]
    roughness: float | None
    turn_deg: float | None
    mirrored: bool | None
    curve: tuple[float, float]


def judged(one: Stranger, found: Readings, known: Mapping[str, Expected]) -> Judged:
    lines = {}
    told = {line.key: line for line in found.lines}
    for line in LINES:
        if line.key not in told or told[line.key].state == "not seen":
            continue
        at = one.readings[line.key]
        crops = known[line.board].crops[line.key]
        if crops[at] is None:
            continue
        mine = told[line.key]
        lines[line.key] = (mine.confidence, mine.state == "measured", mine.value == line.readings[at].value)
    strengths = {
        kind: abs(number.value / one.factors[kind] - 1)
        for kind, number in found.strengths.items()
        if kind in one.factors
    }
    rough = None
    if found.roughness is not None:
        rough = max(abs(r**found.roughness.value - r**one.power) for r in ROUGHNESS)
    lies, turn, mirrored = found.surroundings, None, None
    if lies is not None and lies.sure:
        off = np.angle(np.exp(1j * (lies.turn_rad - one.turn_rad)))
        turn, mirrored = (
            float(abs(np.degrees(off))),
            lies.mirrored == one.mirrored and lies.up == "as written",
        )
    return Judged(lines, strengths, rough, turn, mirrored, _curve_off(one, found))


def _curve_off(one: Stranger, found: Readings) -> tuple[float, float]:
    low, high = found.curve.span
    nit = 2.0 ** np.linspace(low, high, 200)
    light = np.repeat(nit[:, None], 3, axis=1).astype(np.float32)
    true = light if not one.contrast else 0.18 * (light / 0.18) ** (1 + one.contrast)
    board = "tones" if "tones" in found.boards else next(iter(found.boards))
    shown = displayed_by(np.asarray(true, np.float32), Shown(one.curve, one.exposures[board]))
    off = difference(found.curve.display(light), shown)
    return float(off.mean()), float(off.max())
