"""Kinds of value that several decisions share, with ranges and units: what the wire, the screens and the
refusals are made from.
"""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import AfterValidator, Field


def within(low: float, high: float, unit: str = "") -> Any:
    """A number in a closed range, in words of its unit."""
    return Field(ge=low, le=high, json_schema_extra={"unit": unit} if unit else None)


def above_zero(high: float, unit: str = "") -> Any:
    """A number above zero and no more than ``high``."""
    return Field(gt=0, le=high, json_schema_extra={"unit": unit} if unit else None)


Amount = Annotated[float, Field(ge=0)]
Triple = Annotated[list[Annotated[float, Field(ge=-1e9, le=1e9)]], Field(min_length=3, max_length=3)]
Color = Annotated[list[Annotated[float, Field(ge=0, le=1e6)]], Field(min_length=3, max_length=3)]
Shift = Annotated[list[Annotated[float, Field(ge=-5, le=5)]], Field(min_length=2, max_length=2)]
"""How far a frame lies right of and below the middle that its lens looks at, as shares of it."""
Metres = Annotated[float, within(1e-4, 1e4, "metres")]
Whole = Annotated[int, Field(ge=0, lt=2**31)]
Name = Annotated[str, Field(min_length=1, max_length=255, pattern=r"\S")]
"""Something to be read: not empty, not all space."""
Id = Annotated[str, Field(max_length=1000)]


def plain(value: Any) -> Any:
    """A value as JSON has it: lists for tuples, all the way down."""
    if isinstance(value, list | tuple):
        return [plain(one) for one in value]
    if isinstance(value, dict):
        return {key: plain(one) for key, one in value.items()}
    return value


def known_as(id: str) -> str:
    """The readable end of an id."""
    return id.partition(":")[2]


def _is_a_place(matrix: list[float]) -> list[float]:
    if abs(np.linalg.det(np.array(matrix, np.float64).reshape(4, 4)[:3, :3])) <= 1e-9:
        raise ValueError("a matrix that flattens everything")
    return matrix


Place = Annotated[
    list[Annotated[float, Field(gt=-1e7, lt=1e7)]],
    Field(min_length=16, max_length=16),
    AfterValidator(_is_a_place),
]
"""From a thing's own space to the world, 16 numbers row by row."""
