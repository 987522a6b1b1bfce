"""Places in a scene, as they are sent."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

Metres = Annotated[float, Field(gt=-1e7, lt=1e7)]
Point = Annotated[list[Metres], Field(min_length=3, max_length=3)]
Stand = Annotated[list[Metres], Field(min_length=16, max_length=16)]
"""Where one stands: 16 numbers row by row, camera to world."""
