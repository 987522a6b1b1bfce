"""What the inventory notices, and the shape every notice has."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from typing_extensions import TypedDict

from trasloco.scene.model import Decision

FindingState = Literal["open", "mended", "accepted"]


Nature = Literal["repair", "guess", "taste"]


@dataclass(frozen=True)
class Mend:
    """Pressing ``label`` makes ``decisions``.

    ``nature``: a repair cannot change what was meant, a guess confirms what the file leaves open, taste
    changes the look.
    """

    label: str
    decisions: tuple[Decision, ...]
    nature: Nature = "guess"


class Candidate(TypedDict):
    """An image that may be the one that is missing, how likely it is (0 to 1), and why."""

    image: str
    path: str
    score: float
    reason: str


class Pair(TypedDict):
    """Two ID colours by number, the sight that takes them for one, and how far apart they are for it."""

    a: int
    b: int
    sight: str
    delta_e: float


class Evidence(TypedDict, total=False):
    """What a finding was measured by: what it is about, how many, how much. Each check gives what it has.

    Attributes:
        faces: numbers of marked faces by part, bounded. face_count: how many there are in all.
        pieces: numbers of connected pieces of a part. seen_from_front, seen_from_back: shares of the outside.
        parts, points, vertices, joints, nodes, lights, channels, count, levels: how many of them.
        area_m2: of what is meant. height_m, distance_m, apart_m: lengths in metres. way_m: (3,) from one to
        the other.
        unit_m, likeliest_m: metres a unit, believed and likeliest. axis: which is up. origin: who said so.
        encoding, settled, measured, kind, alpha: what it was taken for, and found to be.
        name_odds: for gloss, by its name. confidence, curl_up, curl_down, share, cavity, mean, brightest:
        measures of an image.
        grey: whether all its channels are alike. size: (2,) texels as it would be delivered.
        delta_e: CIEDE2000. srgb: (3,) in [0, 1]. colors: one (3,) each, linear. pairs: that look alike.
        intensity: of a lamp in its own unit. candidates: images that may be meant.
        inputs, images, reasons, slots: names, ids, sentences, names.
    """

    faces: dict[str, list[int]]
    face_count: int
    pieces: list[int]
    seen_from_front: float
    seen_from_back: float
    parts: int
    points: int
    vertices: int
    joints: int
    nodes: int
    lights: int
    channels: int
    count: int
    levels: int
    area_m2: float
    height_m: float
    distance_m: float
    apart_m: float
    way_m: list[float]
    unit_m: float
    likeliest_m: float
    axis: str
    origin: str
    encoding: str
    settled: str
    measured: str
    kind: str
    name_odds: float
    alpha: str
    confidence: float
    curl_up: float
    curl_down: float
    share: float
    cavity: float
    mean: float
    brightest: float
    grey: bool
    size: list[int]
    delta_e: float
    srgb: list[float]
    colors: list[list[float]]
    pairs: list[Pair]
    intensity: float
    candidates: list[Candidate]
    inputs: list[str]
    images: list[str]
    reasons: list[str]
    slots: list[str]


@dataclass(frozen=True)
class Finding:
    """Something noticed about the source.

    Attributes:
        id: kind and target, stable across revisions.
        kind: name of the check.
        title: what, in a few words. where: name of the place and measure. consequence: what it does on
            arrival.
        targets: ids of parts, materials or images it is about.
        weight: rough cost on arrival, for ranking; 0 to 100.
        evidence: plain values for the view (faces, colours, sizes, candidates).
        mends: first one is the main action.
    """

    id: str
    kind: str
    title: str
    where: str
    consequence: str
    targets: tuple[str, ...] = ()
    weight: float = 10.0
    evidence: Evidence = field(default_factory=lambda: Evidence())
    mends: tuple[Mend, ...] = ()
    state: FindingState = "open"
