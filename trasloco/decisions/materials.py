"""A material as a whole."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Name, known_as, within
from trasloco.mends import colors, inventing, materials
from trasloco.sheets.model import CodedKind


@with_config(ConfigDict(strict=True, extra="forbid", allow_inf_nan=False))
class Relief(TypedDict):
    """How deep, as a share of one repeat of the image, and whether the colour is lightened where it was read
    as shadow.
    """

    depth: Annotated[float, Field(gt=0, le=1)]
    lighten: NotRequired[bool]


class AlphaMode(
    Kind, of=("material",), does={Stage.VALUES: materials.material_field("alpha_mode")}, look=True
):
    """How see-through it is: not, cut out, or blended."""

    field: Literal["alpha_mode"]
    value: Literal["opaque", "mask", "blend"]

    def words(self) -> str:
        return f"alpha {self.value}"


class AlphaCutoff(
    Kind, of=("material",), does={Stage.VALUES: materials.material_field("alpha_cutoff")}, look=True
):
    """Where a cut-out is cut."""

    field: Literal["alpha_cutoff"]
    value: Annotated[float, within(0, 1)]

    def words(self) -> str:
        return f"cut at {self.value:g}"


class DoubleSided(
    Kind,
    of=("material",),
    does={Stage.VALUES: materials.material_field("double_sided")},
    look=True,
    says=("drawn on both sides", "drawn on one side"),
):
    """Whether backs are drawn."""

    field: Literal["double_sided"]
    value: bool


class Back(
    Kind,
    of=("material",),
    does={Stage.VALUES: materials.back},
    look=True,
    wants="the id of a material, or nothing",
):
    """What it is seen as from behind."""

    field: Literal["back"]
    value: Name | None

    def words(self) -> str:
        return f"seen from behind as {known_as(self.value)}" if self.value else "the same from behind"


class InventRelief(
    Kind,
    of=("material",),
    does={Stage.PAINT: inventing.invent_relief},
    look=True,
    wants="a depth from 0 to 1 of one repeat, and whether the colour is lightened for it, or nothing",
):
    """Relief made from the picture of the colour."""

    field: Literal["invent_relief"]
    value: Relief | None

    def words(self) -> str:
        return (
            f"relief invented from the colour, {self.value['depth']:g} of a repeat deep"
            if self.value
            else "no relief invented"
        )


_PAINT = {
    "keep": "vertex colours travel in the mesh",
    "atlas": "vertex colours made an image",
    "palette": "vertex colours made a palette",
    "remove": "vertex colours removed",
    "from image": "its image made vertex colours",
}


class Paint(Kind, of=("material",), does={Stage.PAINT: colors.paint}, read_by=("plan",)):
    """What becomes of vertex colours."""

    field: Literal["paint"]
    value: Literal["keep", "atlas", "palette", "remove", "from image"] | None

    def words(self) -> str:
        return _PAINT.get(self.value or "", "vertex colours as the destination needs")


@with_config(ConfigDict(strict=True, extra="forbid"))
class FileAsked(TypedDict):
    """A kind of image file, and the mean ΔE over its texels that it may lose; 0 for what is usual."""

    kind: CodedKind
    loss: Annotated[float, Field(ge=0, le=20)]


def kind_words(kind: CodedKind) -> str:
    """What a kind of image file is called."""
    return {"jpg": "JPEG", "tif": "TIFF", "webp": "WebP"}.get(kind, kind.upper())


def file_words(file: FileAsked) -> str:
    """A kind of image file and what it may lose."""
    return kind_words(file["kind"]) + (f", ΔE {file['loss']:g} at most" if file["loss"] else "")


class FileKind(
    Kind,
    of=("material", "scene"),
    read_by=("plan",),
    wants="a kind of image file and what it may lose, or nothing",
):
    """Images as files of a kind that the destination reads beside its own."""

    field: Literal["file_kind"]
    value: FileAsked | None

    def words(self) -> str:
        if self.value is None:
            return "image files of the destination's own kind"
        return f"images as {file_words(self.value)}"


class LargestSide(
    Kind,
    of=("material", "part", "scene"),
    read_by=("plan",),
    wants="a power of two from 16 to 16384, or nothing",
):
    """Images no larger than this; of a part, those that are drawn for it."""

    field: Literal["largest_side"]
    value: Literal[16, 32, 64, 128, 256, 512, 1024, 2048, 4096, 8192, 16384] | None

    def words(self) -> str:
        return (
            f"images at most {self.value} a side"
            if self.value
            else "images as large as the destination takes"
        )
