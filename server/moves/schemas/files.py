"""Files of a move."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field

Path = Annotated[str, Field(min_length=1, max_length=1000)]


class FileOfMove(Schema):
    path: str
    size: int
    revision: int
    """With which it came as it is."""
    place_of: str | None
    """The file that it may be the next state of."""
    why: str
    """By what that is told."""


class RevisionOut(Schema):
    number: int
    created: str
    files: int


class FilesOut(Schema):
    files: list[FileOfMove]
    revisions: list[RevisionOut]


class PathsIn(Schema):
    paths: Annotated[list[Path], Field(min_length=1, max_length=10_000)]


class ReplaceIn(Schema):
    path: Path
    place_of: Path
