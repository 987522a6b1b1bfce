"""A delivery under a budget."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from trasloco.decisions.kinds import AnyDecision
from trasloco.results.budget_steps import ItemKind
from trasloco.results.weights import Resource


class Resources(Schema):
    """Bytes of images on arrival, bytes of the package, triangles over all parts, seconds of baking, draw calls
    before anything is batched.
    """

    memory: float
    download: float
    triangles: float
    bake: float
    draws: float


class Stands(Resources):
    """What the limits in force take, and mean ΔE over the frame that they lose."""

    loss: float


class OnCurve(Schema):
    """The least mean ΔE over the frame that is lost where so much is taken."""

    taken: float
    loss: float


class Change(Schema):
    """The images of a material, the mesh of a part, or all lightmaps, made smaller, or all materials laid out
    otherwise. ``seen``: whether a view shows it.
    """

    id: str
    name: str
    kind: ItemKind | Literal["layout"]
    seen: bool
    before: str
    after: str
    saved: Resources
    loss: float


class KeptWhole(Schema):
    id: str
    name: str
    words: str


class TriedOut(Schema):
    """The choice delivered as a whole and measured."""

    taken: Resources
    loss: float
    unsure: float


class Found(Schema):
    """The choice that loses least within the limits. ``fits``: whether they can be kept at all."""

    views: list[str]
    seconds: float
    now: Resources
    least: Resources
    then: Resources
    loss: float
    fits: bool
    stands: Stands | None
    along: Resource
    curve: list[OnCurve]
    changes: list[Change]
    kept: list[KeptWhole]
    choices: int
    items: int
    decisions: list[AnyDecision]
    tried: TriedOut | None


class BudgetOut(Schema):
    destination: str
    key: str
    """What the choices are measured on: another key asks for them anew."""
    found: Found | None


class BudgetIn(Schema):
    """Limits in bytes, bytes, triangles, seconds and draw calls; none for any. ``keep``: what stays whole.
    ``together``: deliver and measure the choice within them, where choices are measured already.
    """

    memory: Annotated[float | None, Field(ge=0, le=1e13)] = None
    download: Annotated[float | None, Field(ge=0, le=1e13)] = None
    triangles: Annotated[float | None, Field(ge=0, le=1e12)] = None
    bake: Annotated[float | None, Field(ge=0, le=1e9)] = None
    draws: Annotated[float | None, Field(ge=0, le=1e9)] = None
    keep: Annotated[list[str], Field(max_length=10_000)] = []
    together: bool = False
