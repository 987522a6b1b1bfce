"""The Light stop."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from server.moves.schemas.lamps import LightOut
from server.moves.schemas.words import Chosen, Mark
from trasloco.decisions.kinds import AnyDecision
from trasloco.decisions.lightmaps import AroundPart, ByCamera


class SunOut(Schema):
    color: list[float]
    u: float
    v: float
    lux: float
    angle_deg: float
    height_deg: float
    share: float


class LightingOut(Schema):
    """A picture, sky or room that the scene may be lit by."""

    key: str
    name: str
    kind: Literal["received", "picture", "sky", "room"]
    image: str | None


class LightBy(Schema):
    key: Annotated[str, Field(max_length=1000)]


class EnvironmentOut(Schema):
    image: str
    name: str
    level: float
    turn_rad: float
    mark: Mark | None
    text: str
    ground_lux: float | None
    subject_lux: float | None
    sun_apart: bool
    sun: SunOut | None
    taken: bool


class MixLayer(Schema):
    """``target`` is what a decision about its strength names; empty where there is none to make.

    ``base`` is what it was rendered at, ``strength`` what it is now.
    """

    name: str
    label: str
    target: str
    base: float
    strength: float


class MixOut(Schema):
    version: str
    current: bool
    width: int
    height: int
    ev100: float
    layers: list[MixLayer]
    views: list[str]


class LightmapSize(Schema):
    width: int
    height: int


class BakedOut(Schema):
    version: str
    earlier: bool
    """Made by an earlier version: of use, and made anew where that is asked for."""
    maps: list[LightmapSize]
    memory_mib: float
    files_mib: float
    cost: float
    seam: float
    ev100: float
    paths: int
    probes: int


class ChartsOut(Schema):
    made: bool
    reason: str
    overlap: float
    share: float
    stretch: float
    charts: int


class PlaceOut(Schema):
    number: int
    width: int
    height: int
    memory_kib: float


class LightmapFigures(Schema):
    leak: float
    seam: float
    noise: float
    coarse: float
    texels: int
    seconds: float


class ReceivedLightOut(Schema):
    """``image`` is empty where it is read from vertex colours; ``target`` is what it was decided for."""

    image: str | None
    lux: float
    target: str


class LightmapPart(Schema):
    id: str
    name: str
    excused: str
    received: ReceivedLightOut | None
    density: float | None
    asked: float | None
    left_out: bool
    place: PlaceOut | None
    figures: LightmapFigures | None
    charts: ChartsOut | None


class FaultOut(Schema):
    kind: str
    part: str
    name: str
    share: float
    worst: float
    text: str
    cause: str
    cure: str
    decisions: list[AnyDecision]


class LightmapsOut(Schema):
    taken: bool
    wanted: bool
    paths: int
    bounces: int
    seconds: float
    budget_mib: float
    sheet_budget_mib: float
    denoised: bool
    stitched: bool
    directed: bool
    takes_direction: bool
    takes_probes: bool
    matters: ByCamera | AroundPart | None
    cameras: list[Chosen]
    encoding: str
    packing: str
    compressed: bool
    baked: BakedOut | None
    parts: list[LightmapPart]
    faults: list[FaultOut]
    cures: dict[str, list[AnyDecision]]
    lenses: list[str]


class DaylightOut(Schema):
    latitude: float
    longitude: float
    day: str
    hour: float
    offset_h: float
    haze: float


class PanelOut(Schema):
    azimuth_deg: float
    height_deg: float
    width_deg: float
    tall_deg: float
    shape: Literal["panel", "disc"]
    soft: float
    nit: float
    color: list[float]


class LensOut(Schema):
    id: str
    name: str
    yfov_deg: float
    aspect: float | None
    focal_mm: float
    sensor_mm: float
    focus_m: float | None
    f_stop: float | None
    znear_m: float
    zfar_m: float | None
    mark: Mark
    text: str


class ExposureOut(Schema):
    ev100: float


class AfterEffectOut(Schema):
    name: str
    does: str
    off: str
    acts: str
    amount: float
    reach: float
    simulated: bool


class BackdropOut(Schema):
    """``image`` is empty for a plain colour, linear."""

    image: str | None
    color: list[float]
    nit: float
    turn_rad: float
    mark: Mark | None
    text: str


class AimedAt(Schema):
    """A group or a part, and the middle of it in metres."""

    id: str
    name: str
    middle_m: list[float]


class Aims(Schema):
    """What a lamp may be aimed at: the middle of everything, or of something."""

    middle_m: list[float]
    groups: list[AimedAt]


class LightStopOut(Schema):
    """``next_light`` is the id of a light to add."""

    next_light: str
    aims: Aims
    views: list[str]
    backdrop: BackdropOut | None
    pictures: list[Chosen]
    after_effects: list[AfterEffectOut]
    occluded_twice: list[Chosen]
    lights: list[LightOut]
    cameras: list[LensOut]
    environment: EnvironmentOut | None
    lightings: list[LightingOut]
    lighting: str | None
    """Which of them is in force, if any."""
    ev100: float | None
    daylight: DaylightOut | None
    panels: list[PanelOut]
    tilt_rad: float
    tint: list[float] | None
    version: str
