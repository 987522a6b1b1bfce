"""Where things stand, and under what."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Name, Triple, above_zero, known_as
from trasloco.mends import places, standing
from trasloco.scene.model import Scene


@with_config(ConfigDict(strict=True, extra="forbid", allow_inf_nan=False))
class Placing(TypedDict, total=False):
    """How a part is moved, turned (degrees about x, y, z) and sized."""

    move_m: Triple
    turn_deg: Triple
    size: Annotated[float, above_zero(1e6)]


class Parent(
    Kind, of=("part", "group"), does={Stage.PLACES: places.parent}, wants="the id of a group, or nothing"
):
    """The group that holds it."""

    field: Literal["parent"]
    value: Name | None

    def words(self) -> str:
        return f"moved to {known_as(self.value) if self.value else 'no group'}"

    def names_something(self, scene: Scene) -> bool:
        return self.value is None or self.value in scene.nodes


class Place(
    Kind,
    of=("part", "group"),
    does={Stage.PLACES: places.place},
    wants="move_m and turn_deg as three numbers each, size as a factor",
):
    """Moved, turned and sized against where it came."""

    field: Literal["place"]
    value: Annotated[Placing, Field(min_length=1)]

    def words(self) -> str:
        told = (
            f"{key.partition('_')[0]} {' '.join(f'{n:g}' for n in held) if isinstance(held, list) else f'{held:g}'}"
            for key, held in self.value.items()
        )
        return "placed: " + ", ".join(told)


class CenterPivot(
    Kind, of=("part",), does={Stage.PLACES: places.center_pivot}, says="pivot put in the middle"
):
    """The pivot goes to the middle of the part."""

    field: Literal["center_pivot"]
    value: bool


class ApplyTransform(
    Kind, of=("part",), does={Stage.PLACES: places.apply_transform}, says="transform applied"
):
    """Points are moved instead of the part."""

    field: Literal["apply_transform"]
    value: bool


class StandOnGround(
    Kind,
    of=("part", "group", "scene"),
    does={Stage.PLACES: places.part_stands, Stage.WHOLE: places.stand_on_ground},
    says="stood on the ground",
):
    """A part, a group, or everything, down or up to the ground."""

    field: Literal["stand_on_ground"]
    value: bool


class StandOn(
    Kind, of=("part", "group"), does={Stage.PLACES: standing.stand_on}, wants="the id of a part, or nothing"
):
    """Let down, or up, until it stands on another part."""

    field: Literal["stand_on"]
    value: Name | None

    def words(self) -> str:
        return f"stood on {known_as(self.value)}" if self.value else "stood on nothing"

    def names_something(self, scene: Scene) -> bool:
        return self.value is None or self.value in scene.nodes


class Scale(Kind, of=("scene",), does={Stage.WHOLE: places.scale}):
    """Everything larger or smaller, standing where it stands."""

    field: Literal["scale"]
    value: Annotated[float, Field(ge=1e-6, le=1e6, json_schema_extra={"unit": "a factor"})]

    def words(self) -> str:
        return f"sized by {self.value:g}"


class Recentre(Kind, of=("scene",), does={Stage.WHOLE: places.recentre}, says="centred"):
    """Everything about the origin."""

    field: Literal["recentre"]
    value: bool


class MoveM(Kind, of=("scene",), does={Stage.WHOLE: places.move_m}, wants="three numbers of metres"):
    """Everything moved."""

    field: Literal["move_m"]
    value: Triple

    def words(self) -> str:
        return "moved by " + " ".join(f"{n:g}" for n in self.value) + " m"
