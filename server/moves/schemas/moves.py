"""Moves, their route and jobs."""

from __future__ import annotations

from typing import Any, Literal

from ninja import Schema


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


class SampleFileOut(Schema):
    file: str
    title: str
    note: str
    source: str


class SampleMoveIn(Schema):
    file: str
    destination: str = "lanterna"


class JobIn(Schema):
    kind: Literal["receive", "prove", "sequence", "causes", "bake", "mix", "again", "account", "deliver"]
    settings: dict[str, Any] = {}
