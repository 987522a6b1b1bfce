"""All boards of the gauge, in the order in which they are imported."""

from __future__ import annotations

from functools import cache

from trasloco.gauge.around import around
from trasloco.gauge.build import Board
from trasloco.gauge.lamps import lamps
from trasloco.gauge.shine import shine
from trasloco.gauge.tones import tones


@cache
def boards() -> dict[str, Board]:
    """By key."""
    return {one.key: one for one in (tones(), shine(), lamps(), around())}
