"""Decisions and their history."""

from __future__ import annotations

from typing import Annotated, Any

from ninja import Schema
from pydantic import Field


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
    by: str | None = None
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


class FromShelf(Schema):
    slot: str
    name: str


class RenameIn(Schema):
    ids: list[str]
    pattern: str
    find: str = ""


class UseImage(Schema):
    """An input of a material, and an image of the delivery that it is to read."""

    target: Annotated[str, Field(max_length=400)]
    image: Annotated[str, Field(max_length=400)]
