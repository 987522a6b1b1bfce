"""A person's own shelf of materials."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field

Name = Annotated[str, Field(min_length=1, max_length=100, pattern=r"\S")]
Ref = Annotated[str, Field(max_length=400)]


class KeptOut(Schema):
    id: int
    name: str
    images: int
    size: int


class KeepIn(Schema):
    """A material of the move, and the name it is kept under."""

    material: Ref
    name: Name


class KeptName(Schema):
    name: Name


class FromKept(Schema):
    """A kept material put on a slot, or made into a new material that somebody wears."""

    kept: Annotated[int, Field(ge=0, lt=2**53)]
    slot: Ref | None = None
    name: Name | None = None
    on: Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=100_000)] = []
    faces: dict[str, Annotated[list[Annotated[int, Field(ge=0, lt=2**31)]], Field(max_length=5_000_000)]] = {}
