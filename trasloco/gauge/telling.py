"""One line told by its cells: which of its readings looks like the picture, and how sure that is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from trasloco.gauge.curve import Measured
from trasloco.gauge.expected import HALF_CELL, Expected
from trasloco.gauge.layout import INSIDE
from trasloco.gauge.line import Line, Reading
from trasloco.gauge.numbers import lamp_gain
from trasloco.gauge.patches import Seen
from trasloco.outside.showing import Floats, difference
from trasloco.scene.color import linear_to_srgb, srgb_to_linear

Mask = npt.NDArray[np.bool_]
State = Literal["measured", "not sure", "not seen"]
SURE = 0.9
"""From which confidence on a line is told."""
_APART, _LEAST_TELLING, _BLACK = 2.0, 30, 0.004
"""The ΔE from which on two readings are told apart at a pixel, how many pixels there must be, and display
light below which nothing is seen.
"""
_INNER, _SOFT_PX = 0.78, 1.0
"""Which share of a cell's side its prop fills for sure, and by how much pictures are softened before they are
compared: grain goes, what is read otherwise stays.
"""
_SPREAD, _POOR = 0.35, 4.0
"""How much better in mean ΔE the first has to be for it to be e times as likely, and how far off the best may
be before less is believed of it.
"""


@dataclass(frozen=True)
class Evidence:
    """What is seen in one cell, and what would be by the two likeliest readings, display light (h, w, 3)."""

    cell: str
    mine: Floats
    first: Floats
    second: Floats


@dataclass(frozen=True)
class Told:
    """What the pictures say of one line: the value and words of its likeliest reading, and of the next.

    ``delta_e`` is the mean ΔE of the likeliest where readings differ.
    """

    key: str
    path: str
    label: str
    state: State
    value: Any = None
    words: str = ""
    confidence: float = 0.0
    next_words: str = ""
    delta_e: float = 0.0
    evidence: tuple[Evidence, ...] = ()


def unseen(line: Line) -> Told:
    """A line that no picture shows."""
    return Told(line.key, line.path, line.label, "not seen")


def told(line: Line, curve: Measured, mine: Seen, one: Expected, stops: float, sun: float) -> Told:
    """The likeliest reading of a line, by a picture of its board that was shown ``stops`` brighter than the
    curve's, in a ``sun`` so many times as strong as meant.
    """
    crops = one.crops.get(line.key, ())
    readings = [(r, crop) for r, crop in zip(line.readings, crops, strict=False) if crop is not None]
    cells = [cell for cell in line.cells if mine.reaches(one.cells[cell])]
    if len({str(reading.value) for reading, _ in readings}) < 2 or not cells:
        return unseen(line)
    shown = {cell: mine.cell(one.cells[cell]) for cell in cells}
    inner = {cell: _inner(shown[cell].shape[:2]) for cell in cells}

    def look(reading: Reading, crop: Floats, cell: str) -> Floats:
        if reading.flat:
            color = np.median(shown[cell][inner[cell]], axis=0)
            return np.broadcast_to(color, shown[cell].shape).astype(np.float32)
        gain: float | Floats = sun
        if line.light == "lamp":
            gain = lamp_gain(curve, crop, shown[cell], stops)
        elif line.light == "surroundings":
            gain = _tint(curve, [each[cell] for _, each in readings], crop, shown[cell], inner[cell], stops)
        shows = curve.display(np.asarray(crop[0] + gain * crop[1], np.float32), stops)
        return _soft(shows if reading.over is None else _blended_as_shown(shows, reading.over, curve, stops))

    looks = [{cell: look(reading, crop[cell], cell) for cell in cells} for reading, crop in readings]
    telling = {cell: _telling([each[cell] for each in looks]) & inner[cell] for cell in cells}
    brightest = max(float(each[c][telling[c]].max(initial=0)) for each in looks for c in cells)
    if sum(int(where.sum()) for where in telling.values()) < _LEAST_TELLING or brightest < _BLACK:
        return unseen(line)
    softly = {cell: _soft(picture) for cell, picture in shown.items()}
    off = np.array(
        [np.concatenate([difference(each[c], softly[c])[telling[c]] for c in cells]).mean() for each in looks]
    )
    order = [int(k) for k in np.argsort(off)]
    best = order[0]
    same = np.array([reading.value == readings[best][0].value for reading, _ in readings])
    second = next(k for k in order if not same[k])
    likely = np.exp(-(off - off[best]) / (_SPREAD + 0.25 * off[best]))
    sure = float(likely[same].sum() / likely.sum() * np.exp(-max(off[best] - _POOR, 0) / _POOR))
    return Told(
        line.key,
        line.path,
        line.label,
        "measured" if sure >= SURE else "not sure",
        readings[best][0].value,
        readings[best][0].words,
        sure,
        readings[second][0].words,
        float(off[best]),
        tuple(Evidence(cell, shown[cell], looks[best][cell], looks[second][cell]) for cell in cells),
    )


def _blended_as_shown(
    look: Floats, over: tuple[float, float, float], curve: Measured, stops: float
) -> Floats:
    """Codes of a sheet (h, w, 3) and of what stands behind it, mixed by an alpha that grows to the right."""
    behind = linear_to_srgb(np.clip(curve.display(np.array(over, np.float32), stops), 0, 1))
    width = look.shape[1]
    across = ((np.arange(width) + 0.5) / width - 0.5) * 2 * HALF_CELL / INSIDE + 0.5
    alpha = np.clip(across, 0, 1)[None, :, None]
    on = ((across >= 0) & (across <= 1))[None, :, None]
    mixed = alpha * linear_to_srgb(np.clip(look, 0, 1)) + (1 - alpha) * behind
    return np.asarray(np.where(on, srgb_to_linear(mixed.astype(np.float32)), look), np.float32)


def _tint(
    curve: Measured, crops: list[Floats], crop: Floats, shown: Floats, inner: Mask, stops: float
) -> Floats:
    """Strength and colour (3,) of the light on a cell, by the pixels that look alike by every reading: how
    the surroundings lie is not known beforehand.
    """
    light, sure = curve.light(shown)
    alike = np.ptp(np.stack([each[1].mean(axis=-1) for each in crops]), axis=0) < 1e-6
    held = alike & inner & sure
    if held.sum() < _LEAST_TELLING:
        return np.ones(3, np.float32)
    meant = crop[1][held].mean(axis=0)
    return np.asarray(
        (light[held] * 2.0**-stops - crop[0][held]).mean(axis=0) / np.maximum(meant, 1e-6), np.float32
    )


def _inner(shape: tuple[int, int]) -> Mask:
    """Where in a cell's crop (h, w) its prop stands, without its border."""
    made = np.zeros(shape, np.bool_)
    down, right = (round(side * (1 - _INNER) / 2) for side in shape)
    made[down : shape[0] - down, right : shape[1] - right] = True
    return made


def _soft(picture: Floats) -> Floats:
    return np.asarray(ndimage.gaussian_filter(picture, (_SOFT_PX, _SOFT_PX, 0)), np.float32)


def _telling(looks: list[Floats]) -> Mask:
    """Pixels (h, w) at which two readings look different."""
    made = np.zeros(looks[0].shape[:2], np.bool_)
    for at, first in enumerate(looks):
        for second in looks[at + 1 :]:
            made |= difference(first, second) > _APART
    return made
