"""What comes along."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, Name, known_as
from trasloco.mends import choice, materials
from trasloco.scene.kinds import KINDS
from trasloco.scene.model import Scene


@with_config(ConfigDict(strict=True, extra="forbid"))
class KindRule(TypedDict):
    """Parts of a kind."""

    kind: Literal[tuple(KINDS)]  # type: ignore[valid-type]


@with_config(ConfigDict(strict=True, extra="forbid"))
class GroupRule(TypedDict):
    """A group, with all that is beneath it."""

    group: Id


@with_config(ConfigDict(strict=True, extra="forbid"))
class NameRule(TypedDict):
    """Parts whose names fit a pattern with ``*`` and ``?``."""

    name: Name


def _include(scene: Scene, target: str, value: Any) -> Scene:
    act = (
        choice.include
        if target in scene.nodes
        else choice.clip_included
        if target in scene.clips
        else materials.input_included
    )
    return act(scene, target, value)


class Variant(Kind, of=("scene",), does={Stage.CHOSEN: choice.variant}, wants="the name of a variant"):
    """The materials of one variant."""

    field: Literal["variant"]
    value: Name

    def words(self) -> str:
        return f"variant {self.value}"

    def names_something(self, scene: Scene) -> bool:
        return self.value in scene.variants


class Swap(Kind, of=("part",), does={Stage.CHOSEN: choice.swap}, wants="the id of a part"):
    """Another part's shape in this one's place."""

    field: Literal["swap"]
    value: Name

    def words(self) -> str:
        return f"swapped for {known_as(self.value)}"

    def names_something(self, scene: Scene) -> bool:
        return self.value in scene.nodes and scene.nodes[self.value].mesh is not None


class Include(
    Kind,
    of=("part", "group", "clip", "input"),
    does={Stage.LEFT_OUT: _include},
    look=True,
    choice=True,
    says=("taken along", "left out"),
):
    """Whether a part, a group, a clip or an input comes along."""

    field: Literal["include"]
    value: bool


class Only(
    Kind,
    of=("scene",),
    does={Stage.LEFT_OUT: choice.only},
    choice=True,
    spares=True,
    wants="a list of part ids",
):
    """Nothing but these parts."""

    field: Literal["only"]
    value: list[Id]

    def words(self) -> str:
        return f"only {len(self.value)} chosen parts" if self.value else "all parts"


class LeaveOut(
    Kind,
    of=("scene",),
    does={Stage.LEFT_OUT: choice.leave_out},
    choice=True,
    spares=True,
    wants="a list of rules, each with a kind, a group or a name pattern",
):
    """Rules for what is left out, kept for the next revision."""

    field: Literal["leave_out"]
    value: Annotated[list[KindRule | GroupRule | NameRule], Field(max_length=500)]

    def words(self) -> str:
        return "left out: " + (
            ", ".join(
                known_as(str(told)) if key == "group" else str(told)
                for rule in self.value
                for key, told in rule.items()
            )
            or "nothing"
        )


class GeometryOnly(
    Kind,
    of=("scene",),
    does={Stage.LEFT_OUT: choice.geometry_only},
    choice=True,
    says=("geometry only", "everything, not geometry only"),
):
    """Shapes and slots, nothing else."""

    field: Literal["geometry_only"]
    value: bool
