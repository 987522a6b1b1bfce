"""Materials and groups that nobody sent, and who wears what."""

from __future__ import annotations

from typing import Literal, NotRequired

from pydantic import ConfigDict, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, Name, known_as
from trasloco.mends import making
from trasloco.scene.model import Scene

_CLOSED = ConfigDict(strict=True, extra="forbid")


@with_config(_CLOSED)
class MadeMaterial(TypedDict):
    """What a new material is called."""

    name: Name


@with_config(_CLOSED)
class Worn(TypedDict):
    """A material, and the slot whose faces alone take it."""

    material: Id
    instead_of: NotRequired[Id | None]


class Made(
    Kind,
    of=("material",),
    does={Stage.CHOSEN: making.made},
    founds="material:",
    wants="the name of a new material, or nothing",
):
    """A material that nobody sent."""

    field: Literal["made"]
    value: MadeMaterial | None

    def words(self) -> str:
        return f"made, called {self.value['name']}" if self.value else "taken away again"


@with_config(_CLOSED)
class MadeGroup(TypedDict):
    """What a new group is called, and the group that holds it."""

    name: Name
    parent: NotRequired[Id | None]


class Grouped(
    Kind,
    of=("group",),
    does={Stage.CHOSEN: making.grouped},
    founds="part:",
    wants="the name of a new group, with the group that holds it, or nothing",
):
    """A group that nobody sent."""

    field: Literal["grouped"]
    value: MadeGroup | None

    def words(self) -> str:
        return f"a group made, called {self.value['name']}" if self.value else "taken away again"


class Wears(
    Kind,
    of=("part", "group"),
    does={Stage.AS_RECEIVED: making.wears},
    wants="the id of a material, with the slot it is worn instead of where not everywhere",
):
    """Another material on a part, or on all parts of a group."""

    field: Literal["wears"]
    value: Worn

    def words(self) -> str:
        instead = self.value.get("instead_of")
        return f"wears {known_as(self.value['material'])}" + (
            f" in place of {known_as(instead)}" if instead else ""
        )

    def names_something(self, scene: Scene) -> bool:
        return self.value["material"] in scene.materials
