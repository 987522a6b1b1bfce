"""Names, files, and words for whoever receives it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, Name, known_as
from trasloco.mends import materials, places
from trasloco.scene.tags import COLLISIONS
from trasloco.scene.wording import legible


def _is_legible(name: str) -> str:
    if legible(name) != name:
        raise ValueError("what turns, hides or breaks text")
    return name


class Named(
    Kind,
    of=("part", "group", "light", "camera", "material", "image", "clip"),
    does={Stage.NAMES: materials.name},
    wants="a name of one line and at most 255 characters",
):
    """Another name."""

    field: Literal["name"]
    value: Annotated[Name, AfterValidator(_is_legible)]

    def words(self) -> str:
        return f"named {self.value}"


class RightExtension(
    Kind, of=("image",), does={Stage.VALUES: materials.right_extension}, says="named by its kind"
):
    """An image called by what it is."""

    field: Literal["right_extension"]
    value: bool


class Relink(Kind, of=("image",), does={Stage.CHOSEN: materials.relink}, wants="the id of an image"):
    """Another image in a missing one's place."""

    field: Literal["relink"]
    value: Id

    def words(self) -> str:
        return f"relinked to {known_as(self.value)}"


class Surface(
    Kind,
    of=("part", "group"),
    does={Stage.NAMES: places.tag("surface")},
    wants="a word for what it is made of, or nothing",
):
    """What it is made of."""

    field: Literal["surface"]
    value: Name | None

    def words(self) -> str:
        return f"surface {self.value}" if self.value else "surface unsaid"


class Collision(Kind, of=("part", "group"), does={Stage.NAMES: places.tag("collision")}):
    """What is bumped into."""

    field: Literal["collision"]
    value: Literal[COLLISIONS] | None  # type: ignore[valid-type]

    def words(self) -> str:
        return f"collision {self.value}" if self.value else "collision unsaid"


class Still(Kind, of=("part", "group"), does={Stage.NAMES: places.tag("still")}):
    """Whether it moves."""

    field: Literal["still"]
    value: bool | None

    def words(self) -> str:
        return "may move or not, unsaid" if self.value is None else "still" if self.value else "moves"


class CastsShadow(Kind, of=("part", "group"), does={Stage.NAMES: places.tag("casts_shadow")}):
    """Whether it casts a shadow."""

    field: Literal["casts_shadow"]
    value: bool | None

    def words(self) -> str:
        return "shadow unsaid" if self.value is None else "casts shadows" if self.value else "casts no shadow"
