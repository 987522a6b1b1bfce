"""Shapes of the API. The front end's types are generated from these."""

from __future__ import annotations

from typing import Any, Literal

from ninja import Schema

from trasloco.decisions.choosing import KindRule, NameRule
from trasloco.decisions.inputs import Channels, Space
from trasloco.decisions.judging import KeptView
from trasloco.decisions.kinds import AnyDecision
from trasloco.scene.model import Blend

Mark = Literal["exact", "close", "lost", "blocked"]


class Refusal(Schema):
    what: str
    where: str
    remedy: str


class JobOut(Schema):
    id: int
    kind: str
    state: str
    fraction: float
    message: str
    seconds_left: float | None
    refusal: Refusal | None
    result: dict[str, Any]


class ChoiceWords(Schema):
    value: str
    words: str


class SheetLine(Schema):
    path: str
    group: str
    label: str
    why: str
    kind: Literal["choice", "flag", "number", "text", "several", "inputs", "sets"]
    choices: list[ChoiceWords]
    value: Any
    said: str
    note: str
    plot: list[float]


class SheetOut(Schema):
    name: str
    role: str
    summary: str
    layout: str | None
    own: bool
    can_undo: bool
    can_redo: bool
    habits: list[dict[str, str]]
    lines: list[SheetLine]
    notes: dict[str, str]


class InputSpecOut(Schema):
    name: str
    label: str
    channels: int


class DifferenceOut(Schema):
    path: str
    group: str
    label: str
    first: str
    second: str


class SheetText(Schema):
    text: str


class SheetChange(Schema):
    lines: dict[str, Any]


class SheetCopy(Schema):
    name: str


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
    idle: int
    """How many of them do nothing any more: what they were about left with a revision or another decision."""


class BackTo(Schema):
    batch: int


class CopyInputs(Schema):
    source: str
    targets: list[str]
    inputs: list[str] = []


class SwapInputs(Schema):
    material: str
    first: str
    second: str


class PaintOut(Schema):
    kind: str | None
    sure: float
    evidence: str
    flat: bool
    loss_as_colors: float | None
    chosen: str | None


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
    evidence: dict[str, Any]
    state: Literal["open", "mended", "accepted"]
    mends: list[MendOut]


class RemnantOut(FindingOut):
    """What is noticed after mending: made by a mend, or not cured by it."""

    why: Literal["made", "stayed"]


class AgainOut(Schema):
    """What the mends left or made, where it was looked for since the last of them."""

    known: bool
    remnants: list[RemnantOut]


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
    can_undo: bool
    can_redo: bool
    job: JobOut | None


class MoveChange(Schema):
    name: str | None = None
    source: str | None = None
    destination: str | None = None


class TagsOut(Schema):
    surface: str
    collision: str
    still: bool | None
    casts_shadow: bool | None


class MatchOut(Schema):
    slot: str
    slot_name: str
    name: str


class ShelfOut(Schema):
    names: list[str]
    matches: list[MatchOut]


class FromShelf(Schema):
    slot: str
    name: str


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


class TextureOut(Schema):
    image: str
    channels: Channels
    encoding: Literal["srgb", "linear"]
    space: Space | Literal[""]
    uv_set: int
    offset: list[float]
    scale: list[float]
    rotation_rad: float
    wrap: list[Literal["repeat", "mirror", "clamp"]]
    invert: bool
    green_up: bool
    strength: float
    curve: Literal["linear", "squared", "exponent", "scaled"]
    curve_top: float


class LayerOut(Schema):
    texture: TextureOut
    factor: list[float]
    mask: TextureOut | None
    blend: Blend
    weight: float
    bounded: bool


class InputOut(Schema):
    name: str
    label: str
    factor: list[float | None]
    vertex_color: bool
    origin: str
    image: str | None
    file: str | None
    channels: Channels | None
    invert: bool
    uv_set: int
    offset: list[float]
    scale: list[float]
    rotation_rad: float
    strength: float
    green_up: bool
    space: Space
    layers: list[LayerOut]


class MaterialOut(Schema):
    id: str
    name: str
    parts: int
    alpha_mode: str
    alpha_cutoff: float
    double_sided: bool
    back: str | None
    inputs: list[InputOut]


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


class InUnit(Schema):
    """A light's strength in a unit, and its own intensity for one of it."""

    unit: str
    value: float
    each: float


class StandOut(Schema):
    azimuth_deg: float
    height_deg: float
    distance_m: float


class LightOut(Schema):
    id: str
    angle_deg: float
    width_m: float
    height_m: float
    radius_m: float
    opening: bool
    added: bool
    stand: StandOut | None
    units: list[InUnit]
    shadows: bool
    name: str
    kind: str
    color: list[float]
    intensity: float
    received_intensity: float
    unit: str
    enabled: bool
    mark: Mark | None
    text: str


class CameraOut(Schema):
    id: str
    name: str
    yfov_deg: float
    aspect: float | None
    matrix: list[float]


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
    """ID colours of a part, sRGB in [0, 1], with the smallest ΔE between any two for each kind of colour sight."""

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

    rules: list[KindRule | NameRule]
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
    materials: list[MaterialOut]
    images: list[ImageOut]
    cameras: list[CameraOut]
    lights: list[LightOut]
    size: Size
    groups: list[dict[str, str]]
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


class FamiliesOut(Schema):
    proposals: list[ProposalOut]
    unsure: list[AsideOut]


class SampleFileOut(Schema):
    file: str
    title: str
    note: str
    source: str


class SampleMoveIn(Schema):
    file: str
    destination: str = "lanterna"


class RenameIn(Schema):
    ids: list[str]
    pattern: str
    find: str = ""


class StepOut(Schema):
    kind: str
    text: str
    pictured: bool
    settings: dict[str, Any]


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
    path: str
    material: str
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


class FitOut(Schema):
    meshes: list[MeshOut]
    sizes: dict[str, int]
    spaces: list[str]
    crossings: list[CrossingOut]
    images: list[PlannedOut]
    materials: list[MaterialOut]
    geometry: list[str]
    marks: dict[str, int]
    version: str


class SampleOut(Schema):
    mean: float
    p95: float
    noise: float
    verdict: str
    reference: str
    arrival: str
    drawn: list[str]


class SunOut(Schema):
    color: list[float]
    u: float
    v: float
    lux: float
    angle_deg: float
    height_deg: float
    share: float


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
    """``target`` is what a decision about its strength names; empty where there is none to make. ``base`` is what it was rendered at, ``strength`` what it is now."""

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


class Chosen(Schema):
    id: str
    name: str


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
    matters: dict[str, Any] | None
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


class LightStopOut(Schema):
    """``next_light`` is the id of a light to add."""

    next_light: str
    views: list[str]
    backdrop: BackdropOut | None
    pictures: list[Chosen]
    after_effects: list[AfterEffectOut]
    occluded_twice: list[Chosen]
    lights: list[LightOut]
    cameras: list[LensOut]
    environment: EnvironmentOut | None
    ev100: float | None
    daylight: DaylightOut | None
    panels: list[PanelOut]
    tilt_rad: float
    tint: list[float] | None
    version: str


class ProofOut(Schema):
    id: int
    number: int
    name: str
    created: str
    current: bool
    earlier: bool
    """Of what is delivered now, made by an earlier version."""
    figures: dict[str, Any]
    pictures: dict[str, dict[str, str]]


class ClipChoice(Chosen):
    seconds: float


class ProofsOut(Schema):
    """``lit`` is whether anything lights the scene; where nothing does, a proof needs a light that stands in."""

    lit: bool
    proofs: list[ProofOut]
    views: list[str]
    kept: list[KeptView]
    accepted: list[str]
    limits: list[float]
    clips: list[ClipChoice]
    surroundings: list[Chosen]
    sequence: SequenceOut | None


class FigureOut(Schema):
    value: float
    low: float
    high: float
    raw: float
    noise: float
    cover: float


class FrameOut(Schema):
    """One moment of a clip on both sides; ``pictures`` are blobs of reference, arrival and difference."""

    number: int
    time_s: float
    judged: float
    subject: FigureOut
    seconds: float
    pictures: dict[str, str]


class SequenceOut(Schema):
    """The last clip that was proved frame by frame, as far as it got."""

    clip: str
    clip_name: str
    view: str
    rate: float
    current: bool
    frames: list[FrameOut]


class PixelOut(Schema):
    x: int
    y: int
    linear: list[list[float]]
    srgb: list[list[int]]
    delta_e: float


class FileOut(Schema):
    path: str
    size: int


class AccountEntry(Schema):
    """Something that did not arrive as it was sent. ``key`` names it in decisions, after ``account:``."""

    key: str
    kind: str
    item: str
    aspect: str
    name: str
    title: str
    sent: str
    arrived: str
    mark: Literal["exact", "close", "lost", "blocked", "unaccounted"]
    reason: str
    meant: bool


class AccountKind(Schema):
    kind: str
    label: str
    counts: dict[str, int]
    told: str


class AccountsOut(Schema):
    """``known`` is false while the package was not written and read back yet."""

    known: bool
    version: str
    sent: int = 0
    counts: dict[str, int] = {}
    unanswered: int = 0
    kinds: list[AccountKind] = []
    entries: list[AccountEntry] = []
    things: str = ""


class HandoverOut(Schema):
    id: int
    number: int
    destination: str
    created: str
    current: bool
    files: list[FileOut]
    marks: dict[str, int]
    packing_list: str


class JobIn(Schema):
    kind: Literal["receive", "prove", "sequence", "causes", "bake", "mix", "again", "account", "deliver"]
    settings: dict[str, Any] = {}


class ProofChange(Schema):
    name: str
