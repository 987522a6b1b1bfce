"""Which faces wear which material, and which parts are one."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, Name, Whole, known_as
from trasloco.mends import choice, slots
from trasloco.scene.model import Scene


@with_config(ConfigDict(strict=True, extra="forbid"))
class IdImage(TypedDict):
    """An image whose colours are IDs."""

    image: Id


@with_config(ConfigDict(strict=True, extra="forbid"))
class FacesOfSlot(TypedDict):
    """Faces by their numbers, and the slot they go to; to none where they are taken away."""

    slot: Name | None
    faces: list[Whole]


class SlotsFrom(
    Kind,
    of=("part",),
    does={Stage.SLOTS: slots.slots_from},
    wants="vertex_color, pieces, part, group, layer, or an ID image",
):
    """A slot for each ID: by colour, piece, part, group, layer, or image."""

    field: Literal["slots_from"]
    value: Literal["vertex_color", "pieces", "part", "group", "layer"] | IdImage

    def words(self) -> str:
        return f"slots from {self.value.replace('_', ' ') if isinstance(self.value, str) else 'an ID image'}"


class FacesSlot(
    Kind,
    of=("part",),
    does={Stage.AS_RECEIVED: slots.faces_slot},
    adds=True,
    wants="groups of face numbers with a slot's name, or none",
):
    """Faces put to slots by hand."""

    field: Literal["faces_slot"]
    value: list[FacesOfSlot]

    def words(self) -> str:
        return (
            "; ".join(
                f"{len(group['faces'])} faces " + (f"to {group['slot']}" if group["slot"] else "taken away")
                for group in self.value
            )
            or "no faces put by hand"
        )


class MergeInto(Kind, of=("material",), does={Stage.MERGED: slots.merge_into}, wants="the id of a slot"):
    """One slot for two."""

    field: Literal["merge_into"]
    value: Name

    def words(self) -> str:
        return f"merged into {known_as(self.value)}"

    def names_something(self, scene: Scene) -> bool:
        return self.value in scene.materials


class UseMaterial(
    Kind, of=("material",), does={Stage.CHOSEN: choice.use_material}, look=True, wants="the id of a material"
):
    """Another material's look."""

    field: Literal["use_material"]
    value: Name

    def words(self) -> str:
        return f"takes the look of {known_as(self.value)}"

    def names_something(self, scene: Scene) -> bool:
        return self.value in scene.materials


class DrawnTogether(
    Kind,
    of=("scene",),
    read_by=("plan",),
    says=("each part wears one material, drawn of its slots", "a material for each slot"),
):
    """One material for each part, with what its slots wear drawn into it; where the destination takes that."""

    field: Literal["drawn_together"]
    value: bool | None


class Join(Kind, of=("scene", "group"), does={Stage.JOINED: slots.join}, choice=True):
    """Parts that become one, of everything or of a group: none, those of one material, those of one group."""

    field: Literal["join"]
    value: Annotated[Literal["apart", "material", "group"], Field(description="which parts become one")]

    def words(self) -> str:
        return "kept apart" if self.value == "apart" else f"pieces joined by {self.value}"
