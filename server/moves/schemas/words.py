"""What several stops say alike."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

Mark = Literal["exact", "close", "lost", "blocked"]


class Chosen(Schema):
    id: str
    name: str
