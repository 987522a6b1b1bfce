"""The Fit stop."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

from server.moves.schemas.inventory import MeshOut
from server.moves.schemas.materials import InputOut, MaterialOut
from server.moves.schemas.words import Mark
from trasloco.decisions.kinds import AnyDecision
from trasloco.decisions.materials import FileAsked
from trasloco.sheets.model import CodedKind


class PaintOut(Schema):
    kind: str | None
    sure: float
    evidence: str
    flat: bool
    loss_as_colors: float | None
    chosen: str | None


class MatchOut(Schema):
    slot: str
    slot_name: str
    name: str


class ShelfOut(Schema):
    names: list[str]
    matches: list[MatchOut]


class AsideOut(Schema):
    """An image that fills nothing, and why."""

    image: str
    file: str
    reason: str


class FillingOut(Schema):
    input: str
    label: str
    image: str
    file: str
    channels: str
    inverted: bool
    reason: str
    decisions: list[AnyDecision]


class ProposalOut(Schema):
    """A set of images for a slot."""

    material: str
    material_name: str
    set: str
    reason: str
    fillings: list[FillingOut]
    passed_over: list[AsideOut]


class UnmatchedOut(Schema):
    """A set of images that fits no slot by its name; what each image is taken for is its reason."""

    set: str
    images: list[AsideOut]


class SlotName(Schema):
    id: str
    name: str


class InputName(Schema):
    """An input that an image may be put in."""

    input: str
    label: str


class FamiliesOut(Schema):
    proposals: list[ProposalOut]
    unsure: list[AsideOut]
    unmatched: list[UnmatchedOut]
    bare: list[str]
    """Parts that wear no material: they have no slot to be filled."""
    materials: list[SlotName]
    inputs: list[InputName]


class StepOut(Schema):
    """``baked``: drawn on the model; ``cutoff``: where it cuts."""

    kind: str
    text: str
    pictured: bool
    baked: bool
    cutoff: float | None


class Lands(Schema):
    input: str | None
    name: str | None
    image: str | None
    channel: str | None
    value: list[float | None]


class CrossingOut(Schema):
    id: str
    material: str
    name: str
    label: str
    given: InputOut
    steps: list[StepOut]
    mark: Mark
    reason: str
    error_codes: float | None
    rms: float | None
    lands: Lands
    like: str | None


class ChannelOut(Schema):
    letter: str
    holds: str


class PlannedOut(Schema):
    """An image to be delivered, and the materials it is of: several where each part has one image of all."""

    path: str
    materials: list[str]
    set: str
    width: int
    height: int
    depth: int
    kind: str
    encoding: str
    channels: list[ChannelOut]
    memory: int
    smaller_side: int | None
    saved: int


class KnownInput(Schema):
    """An input that a material can have."""

    name: str
    label: str
    group: str
    """What it says of a surface."""
    default: list[float | None]
    """What it is where nothing is said; endless is null."""
    holds: Literal["color", "vector", "data"]
    length: bool
    """Whether it is in metres."""
    share: bool
    """Whether it is between 0 and 1."""
    beside: str
    """The input that it only says more about."""
    in_destination: bool


class KindToChoose(Schema):
    """A kind of image file. ``loses``: whether it can be made smaller at the cost of looks."""

    kind: CodedKind
    name: str
    loses: bool


class FitOut(Schema):
    meshes: list[MeshOut]
    sizes: dict[str, int]
    files: dict[str, FileAsked]
    """Kinds of image file that were asked for, by material."""
    kinds: list[KindToChoose]
    """Kinds that can be asked for, its own first; none where no file is of one material."""
    spaces: list[str]
    known: list[KnownInput]
    repeats_m: dict[str, float]
    """How long one repeat of a relief's image is on the model, in metres, by crossing."""
    crossings: list[CrossingOut]
    images: list[PlannedOut]
    materials: list[MaterialOut]
    geometry: list[str]
    marks: dict[str, int]
    measured: bool
    """Whether marks are measured on the texels, or as they are promised so far."""
    version: str


class Coming(Schema):
    """It is being made; whoever asks again gets it once it is there."""

    coming: Literal[True]


class SampleOut(Schema):
    mean: float
    p95: float
    noise: float
    verdict: str
    reference: str
    arrival: str
    drawn: list[str]
