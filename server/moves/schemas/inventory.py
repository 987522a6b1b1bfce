"""The Inventory stop."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from server.moves.schemas.lamps import LightOut
from server.moves.schemas.materials import MaterialOut
from server.moves.schemas.places import Stand
from server.moves.schemas.words import Mark
from trasloco.decisions.choosing import GroupRule, KindRule, NameRule
from trasloco.decisions.kinds import AnyDecision
from trasloco.results.looking import How
from trasloco.results.records import Evidence


class TexelOut(Schema):
    linear: list[float]
    srgb: list[int]
    x: int
    y: int


class MendOut(Schema):
    label: str
    nature: Literal["repair", "guess", "taste"]
    decisions: list[AnyDecision]


class FindingOut(Schema):
    id: str
    kind: str
    title: str
    where: str
    consequence: str
    targets: list[str]
    weight: float
    evidence: Evidence
    state: Literal["open", "mended", "accepted"]
    mends: list[MendOut]


class RemnantOut(FindingOut):
    """What is noticed after mending: made by a mend, or not cured by it."""

    why: Literal["made", "stayed"]


class FacesAsked(Schema):
    """Picked faces of a part, numbered as received, and what is to be found from them."""

    part: Annotated[str, Field(max_length=1000)]
    faces: Annotated[list[Annotated[int, Field(ge=0, lt=2**31)]], Field(max_length=2_000_000)]
    how: How
    angle_deg: Annotated[float, Field(ge=0, le=180)] = 20


class FacesDrawn(Schema):
    """What was drawn over the view: two corners of a rectangle, or the way of a brush of a radius in half
    heights; -1 to 1, y up. Of some parts alone, where any are named.
    """

    matrix: Stand
    yfov_rad: Annotated[float, Field(ge=0.01, le=3)]
    aspect: Annotated[float, Field(ge=0.1, le=10)]
    points: Annotated[
        list[Annotated[list[Annotated[float, Field(ge=-2, le=2)]], Field(min_length=2, max_length=2)]],
        Field(min_length=1, max_length=2000),
    ]
    reach: Annotated[float, Field(ge=0, le=2)] = 0
    through: bool = False
    parts: Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=100_000)] = []


class AgainOut(Schema):
    """What the mends left or made, where it was looked for since the last of them."""

    known: bool
    remnants: list[RemnantOut]


class TagsOut(Schema):
    surface: str
    collision: str
    still: bool | None
    casts_shadow: bool | None


class CollisionOut(Schema):
    shape: str
    pieces: int
    triangles: int
    vertices: int
    volume_m3: float | None


class MeshOut(Schema):
    mesh: str
    parts: list[str]
    text: str
    mark: Mark
    before: int
    after: int
    largest_m: float | None
    mean_m: float | None
    reason: str


class PlacedOut(Schema):
    """What was decided of a part's place; what is not said is as received."""

    move_m: list[float] = [0, 0, 0]
    turn_deg: list[float] = [0, 0, 0]
    size: float = 1


class PartOut(Schema):
    id: str
    name: str
    group: str
    parent: str | None
    """The group or part that holds it."""
    layers: list[str]
    triangles: int
    materials: list[str]
    vertex_colors: bool
    uv_sets: int
    included: bool
    place: PlacedOut | None
    tags: TagsOut
    kind: str
    size_m: list[float]


class GroupOut(Schema):
    id: str
    name: str
    parent: str | None
    place: PlacedOut | None
    made: bool
    """Whether it was made here, and did not come with the delivery."""


class ImageOut(Schema):
    id: str
    name: str
    path: str
    kind: str
    width: int
    height: int
    channels: int
    depth: int
    size: int
    problem: str
    used_by: list[str]


class CameraOut(Schema):
    id: str
    name: str
    yfov_deg: float
    aspect: float | None
    matrix: list[float]
    shift: list[float]
    """How far its frame lies right of and below the middle that it looks at, in shares of it."""


class Size(Schema):
    unit_m: float
    unit_name: str
    unit_origin: str
    up_axis: str
    axis_origin: str
    low_m: list[float]
    high_m: list[float]
    triangles: int
    scale: float


class IdsOut(Schema):
    """ID colours of a part, sRGB in [0, 1], with the smallest ΔE between any two for each kind of colour
    sight.
    """

    part: str
    colors: list[list[float]]
    separation: dict[str, float | None]


class ClipOut(Schema):
    id: str
    name: str
    seconds: float
    channels: int
    included: bool


class ChoiceOut(Schema):
    """What was decided about what comes along."""

    rules: list[KindRule | GroupRule | NameRule]
    geometry_only: bool
    join: str
    variant: str
    variants: list[str]
    kinds: dict[str, str]
    other_models: list[str]


class InventoryOut(Schema):
    findings: list[FindingOut]
    surveyed: bool
    parts: list[PartOut]
    subject: list[str]
    """Parts that a view is about: that come along and nothing proposes to leave behind."""
    materials: list[MaterialOut]
    images: list[ImageOut]
    cameras: list[CameraOut]
    lights: list[LightOut]
    size: Size
    groups: list[GroupOut]
    ids: list[IdsOut]
    clips: list[ClipOut]
    choice: ChoiceOut
    view: str
    received_view: str


class BinsOut(Schema):
    letter: str
    counts: list[int]
    low: float
    high: float
    mean: float


class ImageFacts(Schema):
    channels: list[BinsOut]
    sees: list[str]
    used_by: list[str]
    memory: int


class JointPaired(Schema):
    """A joint of the rig, what it is taken for in another model, and whether that is sure or a guess."""

    id: str
    name: str
    other: str | None
    sure: bool


class JointNamed(Schema):
    id: str
    name: str


class PoseMapOut(Schema):
    """Which joint is which; ``by_name``: all are called alike, and nothing has to be told."""

    by_name: bool
    joints: list[JointPaired]
    others: list[JointNamed]
