"""Moves, their route and jobs."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import ConfigDict, Field

from trasloco.results.proving import LIMITS, USUAL, WIDEST


class Refusal(Schema):
    what: str
    where: str
    remedy: str


class DrawnOut(Schema):
    """A picture of one side: blobs of what is seen and of its light, in nit."""

    side: str
    view: str
    width: int
    height: int
    samples: int
    ev100: float
    png: str
    exr: str


class JobResult(Schema):
    """What a job has made so far: blobs of pictures by view and side, blobs of lightmaps, numbers of rows."""

    pictures: dict[str, dict[str, str]] = {}
    maps: list[str] = []
    proof: int | None = None
    handover: int | None = None
    drawn: DrawnOut | None = None


class JobOut(Schema):
    id: int
    kind: str
    state: str
    fraction: float
    message: str
    seconds_left: float | None
    refusal: Refusal | None
    result: JobResult


class Stops(Schema):
    """What each stop of the route says, ready to show."""

    inventory: str
    fit: str
    light: str
    proof: str
    handover: str
    open_findings: int
    idle: int | None
    """Decisions in force that do nothing any more, where that was looked for."""


class MoveOut(Schema):
    id: int
    name: str
    source: str
    destination: str
    revision: int
    ready: bool
    refusal: Refusal | None
    stops: Stops | None
    picture: str | None
    verdict: str | None
    mean: float | None
    marks: dict[str, int] | None = None
    """How what was delivered last arrived."""
    worst: str = ""
    """The material that differs most in the last proof."""
    keys: dict[str, str]
    """By page, what it is made of: a page whose key stays the same says the same."""
    can_undo: bool
    can_redo: bool
    may: Literal["look", "work", "own"] = "own"
    """What whoever asks may do with it."""
    job: JobOut | None


class TakenOff(Schema):
    """A move that was taken off the desk and can be brought back for so many days."""

    id: int
    name: str
    days_left: int
    bytes: int


class MoveRoom(Schema):
    id: int
    name: str
    bytes: int


class RoomOut(Schema):
    """Bytes: free on the disk, taken by results (and the most they may take), and by each move."""

    free: int
    results: int
    results_most: int
    moves: list[MoveRoom]


class PulseOut(Schema):
    """Changes whenever something of a move does that others may have done."""

    beat: str


class MoveChange(Schema):
    name: str | None = None
    source: str | None = None
    destination: str | None = None


class SampleFileOut(Schema):
    file: str
    title: str
    note: str
    source: str


class SampleMoveIn(Schema):
    file: str
    destination: str = "lanterna"


def _within(name: str) -> Any:
    """The bounds of what may be asked of pictures."""
    low, high = LIMITS[name]
    return Field(ge=low, le=high)


class CarryIn(Schema):
    """A whole move at one press: to a destination where one is named, with what was decided in another move,
    with a proof or without.
    """

    destination: Annotated[str, Field(max_length=80)] | None = None
    recipe: int | None = None
    prove: bool = False


class JobSettings(Schema):
    """What is asked of pictures (size, paths a pixel, bounces, seconds, half of the machine), and what a job
    is about. What is not said is as usual.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    width: Annotated[int, _within("width")] = USUAL.width
    height: Annotated[int, _within("height")] = USUAL.height
    samples: Annotated[int, _within("samples")] = USUAL.samples
    bounces: Annotated[int, _within("bounces")] = USUAL.bounces
    seconds: Annotated[float, _within("seconds")] = USUAL.seconds
    within: Annotated[float, Field(ge=0, le=WIDEST)] = 0
    """To how much ΔE the subject is to be known; 0 gives every pixel its samples."""
    threads: Annotated[int, _within("threads")] = USUAL.threads
    share: Literal["all", "half"] = "all"
    view: Annotated[str, Field(max_length=200)] = ""
    area: Annotated[list[Annotated[float, Field(ge=0, le=1)]], Field(min_length=4, max_length=4)] | None = (
        None
    )
    """The part of the view that fills the picture: left, top, right, bottom."""
    stand_in: bool = False
    side: Literal["reference", "arrival"] = "reference"
    """Which side is drawn where only one is."""
    clip: Annotated[str, Field(max_length=400)] = ""
    rate: Annotated[float, Field(gt=0, le=1000)] | None = None
    proof: int | None = None
    anew: bool = False


class JobIn(Schema):
    kind: Literal[
        "receive",
        "prove",
        "draw",
        "sequence",
        "causes",
        "worth",
        "bake",
        "mix",
        "again",
        "account",
        "deliver",
    ]
    settings: JobSettings = JobSettings()
