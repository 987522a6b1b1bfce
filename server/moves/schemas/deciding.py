"""Decisions and their history."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from server.moves.schemas.moves import MoveOut
from server.moves.schemas.places import Point, Stand
from trasloco.decisions.kinds import AnyDecision
from trasloco.decisions.values import Shift
from trasloco.results.lamp_acts import Side


class DecisionRowOut(Schema):
    """A decision as it is stored, which an earlier version may have written."""

    target: str
    field: str
    value: Any = None


class HistoryOut(Schema):
    batch: int
    undone: bool
    words: list[str]
    count: int
    created: str
    by: str | None = None
    idle: int
    """How many of them do nothing any more: what they were about left with a revision or another decision."""


class BackTo(Schema):
    batch: int


class CopyInputs(Schema):
    source: str
    targets: list[str]
    inputs: list[str] = []


class Difference(Schema):
    """How a material differs from another, in words, and what of it others cannot take."""

    changes: list[str]
    left: list[str]


class VaryIn(Schema):
    """The difference of ``second`` from ``first``, put on others to a share of it."""

    first: str
    second: str
    targets: Annotated[list[str], Field(min_length=1, max_length=10_000)]
    amount: Annotated[float, Field(ge=0, le=1)] = 1.0


class Varied(Schema):
    """The move, and what could not be put on."""

    move: MoveOut
    left: list[str]


class SwapInputs(Schema):
    material: str
    first: str
    second: str


class FromShelf(Schema):
    slot: str
    name: str


class MakeMaterial(Schema):
    """A material that nobody sent, and whoever wears it."""

    name: Annotated[str, Field(min_length=1, max_length=100, pattern=r"\S")]
    like: Annotated[str, Field(max_length=400)] | None = None
    """A material of the move it starts as."""
    shelf: Annotated[str, Field(max_length=100)] | None = None
    on: Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=100_000)] = []
    """Parts and groups that wear it."""
    faces: Picked = {}
    """Faces that wear it."""


Picked = dict[str, Annotated[list[Annotated[int, Field(ge=0, lt=2**31)]], Field(max_length=5_000_000)]]
"""Faces by part, numbered as received."""


class CoverBeside(Schema):
    """Picked faces; openings beside them are to be covered."""

    faces: Annotated[Picked, Field(min_length=1, max_length=100_000)]


Ids = Annotated[list[Annotated[str, Field(max_length=1000)]], Field(min_length=1, max_length=100_000)]
"""Parts and groups."""


class ChosenIds(Schema):
    ids: Ids


class Group(ChosenIds):
    """A new group around parts and groups."""

    name: Annotated[str, Field(min_length=1, max_length=255, pattern=r"\S")]


class MoveTo(ChosenIds):
    """Parts and groups put into a group, or into none."""

    group: Annotated[str, Field(max_length=1000)] | None


class GroupMade(Schema):
    id: str
    move: MoveOut


class Dress(ChosenIds):
    """A material on parts and groups, everywhere or in place of one slot."""

    material: Annotated[str, Field(max_length=1000)]
    instead_of: Annotated[str, Field(max_length=1000)] | None = None


class LeaveSlotOut(ChosenIds):
    """What wears a material left out of parts and groups, or taken along again."""

    material: Annotated[str, Field(max_length=1000)]
    back: bool = False


class CameraHere(Schema):
    """A camera put where one stands; without one, a new one."""

    camera: Annotated[str, Field(max_length=1000)] | None = None
    name: Annotated[str, Field(max_length=100)] = ""
    matrix: Stand
    yfov_rad: float
    aspect: float | None = None
    shift: Shift = [0.0, 0.0]


class AnotherLamp(Schema):
    """A lamp like another, beside it or mirrored across the subject."""

    light: Annotated[str, Field(max_length=1000)]
    mirrored: bool = False


class LightPlace(Schema):
    """A place of the model, in metres, that a lamp (a new one where none is named) is to light from a side,
    as seen from where one stands (16 numbers row by row, camera to world).
    """

    light: Annotated[str, Field(max_length=1000)] | None = None
    point: Point
    matrix: Stand
    side: Side = "left"


class FillFrame(Schema):
    """Picked faces; a rectangle of light fills their frame."""

    faces: Annotated[Picked, Field(min_length=1, max_length=100_000)]
    what: Literal["opening", "panel"]


class PressOn(Schema):
    """A picture to be laid over what is at a place of the model, upright as it is seen from where one stands;
    ``instead_of`` is the number of a layer that was laid before.
    """

    image: Annotated[str, Field(max_length=400)]
    point: Point
    matrix: Stand
    width_m: Annotated[float, Field(gt=0, le=1e4)]
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = 0
    instead_of: Annotated[int, Field(ge=0, lt=8)] | None = None
    uv_set: Annotated[int, Field(ge=0, lt=8)] = 0


class PressedOut(Schema):
    """Which input it was laid over, its number among the layers there, and what is to be known of it."""

    target: str
    index: int
    told: str
    move: MoveOut


class RenameIn(Schema):
    ids: list[str]
    pattern: str
    find: str = ""


class UseImage(Schema):
    """An input of a material, and an image of the delivery that it is to read."""

    target: Annotated[str, Field(max_length=400)]
    image: Annotated[str, Field(max_length=400)]
    besides: Annotated[list[AnyDecision], Field(max_length=100)] = []
    """What else is decided with it, after what the image wants."""
