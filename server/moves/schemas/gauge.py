"""The gauge of a move's destination."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

Board = Literal["tones", "shine", "lamps", "around"]


class BoardOut(Schema):
    """A board, what to do with it, and the picture of it that came back."""

    key: Board
    title: str
    steps: list[str]
    name: str = ""
    shown: str = ""
    read: bool = False


class GaugeNumber(Schema):
    kind: str
    value: float
    unsure: float


class GaugeCurve(Schema):
    """Display light, 0 to 1, over stops: log2 of nit."""

    stops: list[float]
    shown: list[float]
    by: str
    formula: str
    delta_e: float


class GaugeExposure(Schema):
    board: Board
    stops: float
    unsure: float


class GaugeSurroundings(Schema):
    turn_deg: float
    mirrored: bool
    up: str
    sure: bool
    correlation: float


class GaugeLine(Schema):
    """What the pictures say of one line; ``evidence`` are pictures by name: mine, the likeliest, the next."""

    key: str
    path: str
    label: str
    state: Literal["measured", "not sure", "not seen"]
    words: str
    next_words: str
    confidence: float
    delta_e: float
    evidence: list[str]


class GaugeLies(Schema):
    """How a board lies in its picture: marks found of fifteen, how far off they lie, and the bend of the lens."""

    board: Board
    marks: int
    rms_px: float
    bend: float


class GaugeFound(Schema):
    curve: GaugeCurve
    exposures: list[GaugeExposure]
    strengths: list[GaugeNumber]
    roughness: GaugeNumber | None
    surroundings: GaugeSurroundings | None
    lines: list[GaugeLine]
    doubts: list[str]
    boards: list[GaugeLies]


class GaugeOut(Schema):
    """``layout`` is the destination's; ``current`` whether the gauge is written in it as it is now."""

    sheet: str
    archive: str
    current: bool
    at_all: list[str]
    boards: list[BoardOut]
    found: GaugeFound | None
    stale: bool
    evidence: dict[str, str]
    used: str


class GaugeUse(Schema):
    """Under which name what was measured becomes a sheet, and whether the move takes it at once."""

    name: str
    take: bool = True
