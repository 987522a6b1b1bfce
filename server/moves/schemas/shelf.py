"""A person's own shelf of materials."""

from __future__ import annotations

from typing import Annotated

from ninja import Schema
from pydantic import Field

Name = Annotated[str, Field(min_length=1, max_length=100, pattern=r"\S")]
Number = Annotated[int, Field(ge=0, lt=2**53)]
Ref = Annotated[str, Field(max_length=400)]


class KeptOut(Schema):
    id: int
    name: str
    images: int
    size: int
    variant_of: int | None
    """The kept material that it is another look of."""


class KeepIn(Schema):
    """A material of the move, the name it is kept under, and what it is a variant of."""

    material: Ref
    name: Name
    variant_of: Number | None = None


class KeptName(Schema):
    name: Name
    variant_of: Number | None = None


class FromKept(Schema):
    """A kept material put on a slot, or made into a new material that somebody wears."""

    kept: Number
    slot: Ref | None = None
    name: Name | None = None
    on: Annotated[list[Annotated[str, Field(max_length=1000)]], Field(max_length=100_000)] = []
    faces: dict[str, Annotated[list[Annotated[int, Field(ge=0, lt=2**31)]], Field(max_length=5_000_000)]] = {}
