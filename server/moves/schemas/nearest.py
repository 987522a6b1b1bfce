"""The nearest looks that a destination can make of materials."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field


class ByHand(Schema):
    """Gain x what is given + offset; the offset alone where it is a number."""

    gain: Annotated[list[Annotated[float, Field(ge=-10, le=10)]], Field(max_length=3)]
    offset: Annotated[list[Annotated[float, Field(ge=-10, le=10)]], Field(max_length=3)]


class NearestFigures(Schema):
    """Mean ΔE on the sample over all lights; ``found`` is whether a nearer look than copied numbers was."""

    copied: float
    fitted: float
    found: bool


class NearestRow(Schema):
    """A material that loses something of its look. ``stale``: a fit was taken for what it was before."""

    material: str
    name: str
    key: str
    """What its fit is made from: another key is another fit."""
    missing: list[str]
    taken: bool
    open: bool
    """Whether there may be something to take."""
    stale: bool
    inputs: dict[str, ByHand] | None
    """What the fit that was taken changes."""
    figures: NearestFigures | None


class NearestRows(Schema):
    destination: str
    rows: list[NearestRow]


class NearestLight(Schema):
    """One light: pictures by their digests, ΔE of both sides with what it may be more or less."""

    name: str
    counts: float
    meant: str
    copied: str
    fitted: str
    copied_delta_e: float
    fitted_delta_e: float
    unsure: float


class NearestChange(Schema):
    """An input of the destination: what it is copied as (mean over the material), and what a fit makes of it.

    ``how``: its number; along a line where an image lies under it; a gain where colours on points do.
    """

    input: str
    label: str
    how: Literal["number", "line", "gain"]
    copied: list[float]
    gain: list[float]
    offset: list[float]
    still: ByHand
    """What changes nothing."""
    changed: bool
    gain_range: list[float]
    offset_range: list[float]


class NearestCurves(Schema):
    """Light as shown, 0 to 1, over the angle of view in degrees."""

    degrees: list[float]
    meant: list[float]
    copied: list[float]
    fitted: list[float]


class NearestOut(Schema):
    material: str
    name: str
    destination: str
    missing: list[str]
    kept: list[str]
    rough: bool
    """Whether it is a first look, and the one for good is being made."""
    found: bool
    copied: float
    fitted: float
    unsure: float
    table: list[float]
    lights: list[NearestLight]
    inputs: list[NearestChange]
    value: dict[str, Any]
    """The decision that takes it."""
    curves: NearestCurves
    drawn: list[str]
    remains: str
    """What remains, in words."""


class NudgeIn(Schema):
    """Changes made by hand, by input."""

    material: str
    inputs: dict[str, ByHand]


class Nudged(Schema):
    """ΔE by the table of reflectance."""

    delta_e: float
    copied: float


class ElsewhereSide(Schema):
    """One side of a material in the sample's booth; ΔE over all lights against what is meant."""

    side: Literal["meant", "untouched", "copied", "fitted"]
    picture: str
    delta_e: float | None


class ElsewhereOut(Schema):
    """A material at a destination; ``found`` is whether a fit is nearer there than copied numbers."""

    sheet: str
    missing: list[str]
    found: bool
    sides: list[ElsewhereSide]


class FitAllIn(Schema):
    """Which materials, all that lose something where none is named; whether what is found is taken at once."""

    materials: Annotated[list[str], Field(max_length=10_000)] = []
    take: bool = True
