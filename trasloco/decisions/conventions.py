"""What is believed of a file as a whole. Carried out where a scene is settled, before anything else."""

from __future__ import annotations

from typing import Annotated, Literal

from trasloco.decisions.kind import Kind
from trasloco.decisions.values import above_zero


class UnitM(Kind, of=("scene",), read_by=("survey", "reference")):
    """How many metres a unit of the file is."""

    field: Literal["unit_m"]
    value: Annotated[float, above_zero(1e6, "metres")]

    def words(self) -> str:
        return f"one unit is {self.value:g} m"


class UpAxis(Kind, of=("scene",), read_by=("survey", "reference")):
    """Which axis of the file points up."""

    field: Literal["up_axis"]
    value: Literal["X", "Y", "Z"]

    def words(self) -> str:
        return f"{self.value} is up"


class VertexColorEncoding(Kind, of=("scene",), read_by=("survey", "reference")):
    """How vertex colours are stored."""

    field: Literal["vertex_color_encoding"]
    value: Literal["linear", "srgb"]

    def words(self) -> str:
        return (
            "vertex colours are stored as sRGB"
            if self.value == "srgb"
            else "vertex colours are stored as light"
        )
