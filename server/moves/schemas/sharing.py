"""People, and who else sees a move."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field


class SessionIn(Schema):
    name: Annotated[str, Field(min_length=1, max_length=150)]
    password: Annotated[str, Field(min_length=1, max_length=400)]


class SessionOut(Schema):
    """Who is signed in; ``accounts`` is false on a computer of one person."""

    accounts: bool
    person: str | None
    admin: bool
    coming: list[str]
    """What is still being made since the application was started, in words."""


class ShareIn(Schema):
    person: Annotated[str, Field(max_length=150)]
    level: Literal["look", "work", "none"]


class ShareOut(Schema):
    person: str
    level: Literal["look", "work"]


class LinkIn(Schema):
    days: Annotated[int, Field(ge=1, le=365)] = 14


class LinkOut(Schema):
    id: int
    path: str
    ends: str
    ended: bool


class SharingOut(Schema):
    owner: str | None
    shares: list[ShareOut]
    links: list[LinkOut]
