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
    value: float
    unsure: float


class GaugeStrength(GaugeNumber):
    """Against what glows; ``there`` is whether it came in at all, ``words`` the formula that explains it."""

    label: str
    there: bool
    words: str = ""


class GaugeCurve(Schema):
    """Codes, 0 to 255, over stops: log2 of nit."""

    stops: list[float]
    codes: list[float]
    by: str
    formula: str
    delta_e: float


class GaugeExposure(Schema):
    board: Board
    stops: float
    unsure: float


class GaugeSurroundings(Schema):
    turn_deg: float
    unsure_deg: float
    mirrored: bool
    up: str
    sure: bool
    confidence: float = 0.0


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
    """How a board lies in its picture: marks found of fifteen, and how far off they lie."""

    board: Board
    marks: int
    rms_px: float


class GaugeLengths(Schema):
    """How many times as long as it is the program makes the rod, and what lamps say of it."""

    times: float | None = None
    words: str = ""


class GaugeRod(Schema):
    """How long the program shows the rod of a metre to be."""

    length: float | None
    unit: Literal["m", "cm", "mm", "in", "ft"] = "m"


class GaugeFound(Schema):
    curve: GaugeCurve
    exposures: list[GaugeExposure]
    strengths: list[GaugeStrength]
    roughness: GaugeNumber | None
    surroundings: GaugeSurroundings | None
    lengths: GaugeLengths = GaugeLengths()
    lines: list[GaugeLine]
    doubts: list[str]
    boards: list[GaugeLies]


class GaugeOut(Schema):
    """``sheet`` is the one in whose layout it is written; ``current`` whether the destination still is that,
    or goes by what was measured; ``stale`` whether other pictures were brought since they were read.
    """

    sheet: str
    current: bool
    at_all: list[str]
    boards: list[BoardOut]
    found: GaugeFound | None
    stale: bool
    rod: GaugeRod | None
    evidence: dict[str, str]
    used: str


class GaugeUse(Schema):
    """Under which name what was measured becomes a sheet, and whether the move takes it at once."""

    name: str
    take: bool = True
