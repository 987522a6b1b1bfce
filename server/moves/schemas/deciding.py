"""Decisions and their history."""

from __future__ import annotations

from typing import Any

from ninja import Schema


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
