"""The Handover stop."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from server.moves.schemas.deciding import DecisionRowOut
from server.moves.schemas.moves import MoveOut


class FileOut(Schema):
    """A file of a package, and what it is for."""

    path: str
    size: int
    purpose: str


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
    steps: list[str]
    marks: dict[str, int]
    packing_list: str


class SaidOut(Schema):
    """A line that says something else; empty where it said nothing."""

    key: str
    before: str
    after: str


class ChangedOut(Schema):
    kind: str
    id: str
    name: str
    how: Literal["came", "went", "changed"]
    lines: list[SaidOut]


class FileChangeOut(Schema):
    """A file that came, went or changed; bytes, 0 where it was not there."""

    path: str
    how: Literal["came", "went", "changed"]
    before: int
    after: int


class ChangesOut(Schema):
    """What is different between two states. ``known`` is false where things were not compared, files still
    are; ``idle`` counts decisions that apply to nothing any more.
    """

    known: bool
    before: str
    after: str
    things: list[ChangedOut] = []
    files: list[FileChangeOut] = []
    same_files: int = 0
    idle: int = 0


class ImageBackOut(Schema):
    """An image that was painted over, as a file for the source, and the input that is to read it."""

    path: str
    target: str


class RowsIn(Schema):
    """Rows of what came back, by their numbers."""

    rows: Annotated[list[Annotated[int, Field(ge=0)]], Field(max_length=10_000)]


class CameOut(Schema):
    """A difference of a package that came back; ``item`` is empty for what is new, ``why`` says why there is
    no decision.
    """

    kind: str
    item: str
    name: str
    what: str
    before: str
    after: str
    decisions: list[DecisionRowOut]
    why: str
    image: ImageBackOut | None = None


class CameBackOut(Schema):
    """What the package said that came back last: since which handover, and when. ``current`` is false once
    something was decided since.
    """

    number: int
    created: str
    current: bool
    came: list[CameOut]


class ListThing(Schema):
    """A thing of the packing list and what is said of it, key by key."""

    kind: str
    id: str
    name: str
    says: dict[str, str]


class PackingListOut(Schema):
    """The packing list of a move as it stands: as text, and thing by thing."""

    text: str
    things: list[ListThing]


class HandBack(Schema):
    """A packing list that was changed, as text or JSON. ``try_only``: only what it would change is told."""

    text: Annotated[str, Field(max_length=20_000_000)]
    try_only: bool = False


class MisreadOut(Schema):
    line: int
    text: str
    why: str
    remedy: str


class HandedBack(Schema):
    """What was changed, in words; or the lines that cannot be understood, and then nothing was."""

    words: list[str]
    misread: list[MisreadOut]
    move: MoveOut | None = None
