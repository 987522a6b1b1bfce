"""The live view, lit, and a glance from any place."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field

from server.moves.schemas.materials import MaterialOut
from server.moves.schemas.places import Metres, Point
from server.moves.schemas.proof import Figure


class LampOut(Schema):
    """A lamp that is on, where it stands: ``matrix`` column by column from its own space to the world."""

    name: str
    kind: str
    opening: bool
    """A window that what surrounds the scene comes through; it gives no light of its own."""
    color: list[float]
    intensity: float
    inner_rad: float
    outer_rad: float
    width_m: float
    height_m: float
    shadows: bool
    matrix: list[float]
    node: str
    """Where it hangs; it moves as that does."""


class TileOut(Schema):
    """An input that has a picture, and what tells its content."""

    material: str
    name: str
    version: str


class LitOut(Schema):
    """A side as a live view shows it lit."""

    view: str
    """Blob of its geometry."""
    materials: list[MaterialOut]
    tiles: list[TileOut]
    """Inputs that have a picture, in the order of the small ones."""
    lamps: list[LampOut]
    surround: float | None
    """What the numbers of its surroundings are multiplied by for nit; nothing where there are none."""
    backdrop: float | None
    ev100: float
    stand_in: bool
    """Whether nothing lights it and a light of ours stands in."""
    version: str


class MovingClip(Schema):
    """A clip of a side; ``meant`` is the one of the reference that it is."""

    id: str
    meant: str | None
    name: str
    start_s: float
    end_s: float


class ShotOut(Schema):
    """A camera of a side, by the node that carries it."""

    node: str
    name: str
    yfov_deg: float


class MovingOut(Schema):
    """A side in motion."""

    view: str
    """Blob of its geometry with skins, morphs and clips."""
    clips: list[MovingClip]
    cameras: list[ShotOut]
    frame_rate: float | None
    """Frames a second, where the delivery states it."""


class LayoutIn(Schema):
    """Whose UVs: a material, of chosen parts or of all, and the set from 0."""

    material: str = Field(max_length=1000)
    parts: list[Annotated[str, Field(max_length=1000)]] = Field(default=[], max_length=100_000)
    set: int = Field(default=0, ge=0, lt=8)


class LayoutOut(Schema):
    """How UVs lie: shares of the image covered, of that what lies twice, of the triangles what lies beyond
    it.
    """

    triangles: int
    islands: int
    covered: float
    twice: float
    beyond: float


class OpeningOut(Schema):
    """Where a view stands when it is opened: 16 numbers row by row from camera to world, its full vertical angle,
    what it turns about, half the diagonal of what it looks at, and a PNG in base64 of what is seen; none while
    that is being made.
    """

    matrix: list[float]
    yfov_rad: float
    target: list[float]
    reach_m: float
    still: str | None


class GlanceOut(Schema):
    """Both sides from a place, PNG in base64."""

    reference: str
    arrival: str
    samples: int
    step: int
    last: bool
    """Whether it does not get sharper."""
    subject: Figure
    words: str


class WalkIn(Schema):
    """A step: where the eye is, which way along the level (x, z), how far; ``everything``: all parts block as
    they are, else those that a shape was chosen for.
    """

    eye: Point
    heading: Annotated[list[Metres], Field(min_length=2, max_length=2)]
    far_m: Annotated[float, Field(ge=0, le=20)]
    everything: bool = False


class WalkOut(Schema):
    """Where the eye comes to, what was in the way, and how many parts have no shape said."""

    eye: list[float]
    stopped_by: str | None
    unsaid: int
