"""The Proof stop."""

from __future__ import annotations

from typing import Any

from ninja import Schema

from server.moves.schemas.words import Chosen
from trasloco.decisions.judging import KeptView


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


class ProofChange(Schema):
    name: str
