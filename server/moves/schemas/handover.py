"""The Handover stop."""

from __future__ import annotations

from typing import Literal

from ninja import Schema


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
