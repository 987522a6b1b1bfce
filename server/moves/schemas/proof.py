"""The Proof stop."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from server.moves.schemas.words import Chosen
from trasloco.decisions.judging import KeptView


class Figure(Schema):
    """A mean difference with noise taken off, and within what it lies."""

    value: float
    low: float
    high: float
    raw: float
    noise: float
    cover: float


class WorstMaterial(Figure):
    id: str
    name: str


class Share(Schema):
    """What a material or a part has of a picture's difference; what older proofs did not measure is not
    there."""

    id: str
    name: str
    mean: float
    cover: float
    value: float | None = None
    low: float | None = None
    high: float | None = None
    noise: float | None = None
    significant: bool | None = None


class ViewFigures(Schema):
    name: str
    window: list[float] = [0, 0, 1, 1]
    """The part of the frame that fills the picture."""
    ev100: float
    mean: float
    p95: float
    noise: float
    samples: float
    """A pixel, in the mean."""
    width: int
    height: int
    seconds: list[float]
    materials: list[Share]
    parts: list[Share]
    frame: Figure | None = None
    subject: Figure | None = None
    judged: float | None = None
    error: float | None = None
    significant: bool | None = None
    flip: float | None = None
    ssim: float | None = None


class Cure(Schema):
    """Where a cause can be mended: the stop, and what is shown there."""

    stop: Literal["fit", "light"]
    words: str
    show: str
    material: str
    crossing: str


class CauseFigures(Schema):
    id: str
    kind: Literal["input", "sides", "see-through", "light", "geometry"]
    label: str
    where: str
    reason: str
    target: str
    share: float
    noise: float
    significant: bool
    cure: Cure | None = None
    """Not told by proofs of earlier versions."""


class CausesFigures(Schema):
    view: str
    mean: float
    remainder: float
    untried: int
    seconds: float
    causes: list[CauseFigures]


class DeedFigures(Schema):
    """Something that one press does: what it brings, mean ΔE over the view, and what it costs: memory of
    images, download, triangles, a bake.
    """

    id: str
    where: str
    words: str
    gain: float
    noise: float
    significant: bool
    mib: float
    download_mib: float = 0.0
    seconds: float = 0.0
    """Of a bake on this machine."""
    triangles: int = 0
    free: bool
    decisions: list[dict[str, Any]]


class GuessFigures(Schema):
    """A guess that waits: how much it would change what is meant, mean ΔE over the view."""

    where: str
    words: str
    change: float
    noise: float


class DeedsTaken(Schema):
    ids: list[str]
    words: str
    predicted: float
    plan: str
    """What was to be delivered with them."""


class WorthFigures(Schema):
    """What is worth doing, measured in a view before it is done."""

    view: str
    mean: float
    noise: float
    deeds: list[DeedFigures]
    all_free: list[str]
    """Deeds that cost nothing and bring something."""
    free_gain: float
    mean_after_free: float
    guesses: list[GuessFigures] = []
    """Those that show in the view, the most first."""
    seconds: float
    taken: DeedsTaken | None


class HowRight(Schema):
    """A prediction beside what the next proof measured."""

    proof: int
    next: int
    words: str
    predicted: float
    measured: float


class TakeDeeds(Schema):
    ids: Annotated[list[str], Field(min_length=1, max_length=1000)]


class RefinedFigures(Schema):
    """A proof that became better known while nothing else waited."""

    aim: float
    over: bool
    """It was not known to the aim after the time that is spent on it, and is left so."""


class ProofFigures(Schema):
    """``judged`` is the worse of subject and worst material, which the verdict speaks of; ``at_least`` the
    word at the low end of what it lies within; ``effects`` were simulated on the arrival.
    """

    verdict: str
    mean: float
    worst_view: str
    views: list[ViewFigures]
    at_least: str | None = None
    judged: float | None = None
    frame: Figure | None = None
    subject: Figure | None = None
    worst_material: WorstMaterial | None = None
    stand_in: bool = False
    unseen: list[str] = []
    dark: list[str] = []
    effects: list[str] = []
    asked_within: float | None = None
    within: float | None = None
    """To how much ΔE the subject was to be known where that was asked, and is known where it is known least.
    """
    known_as_asked: bool | None = None
    refined: RefinedFigures | None = None
    causes: CausesFigures | None = None
    worth: WorthFigures | None = None


class ProofOut(Schema):
    id: int
    number: int
    name: str
    created: str
    current: bool
    earlier: bool
    """Of what is delivered now, made by an earlier version."""
    figures: ProofFigures
    words: dict[str, str]
    """Of its frame, its subject and its worst material, by the limits as they are now."""
    pictures: dict[str, dict[str, str]]


class ClipChoice(Chosen):
    seconds: float


class KnownTo(Schema):
    """To how much ΔE a proof can be asked to be known, and with how many samples a pixel it ends at most."""

    within: float
    samples: int


class ProofsOut(Schema):
    """``lit`` is whether anything lights the scene; where nothing does, a proof needs a light that stands in."""

    lit: bool
    proofs: list[ProofOut]
    how_right: list[HowRight]
    seconds_a_sample: float | None
    """What one sample of one pixel took of both sides in the last proof."""
    views: list[str]
    aspects: dict[str, float]
    """How many times as wide as high the frame of a view is, where its camera says."""
    kept: list[KeptView]
    accepted: list[str]
    known_to: list[KnownTo]
    limits: list[float]
    clips: list[ClipChoice]
    surroundings: list[Chosen]
    sequence: SequenceOut | None


class FrameOut(Schema):
    """One moment of a clip on both sides; ``pictures`` are blobs of reference, arrival and difference."""

    number: int
    time_s: float
    judged: float
    subject: Figure
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


class ProofChange(Schema):
    name: str
