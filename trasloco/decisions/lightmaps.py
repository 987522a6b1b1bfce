"""Light written down: whether, how well, and where it matters."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import ConfigDict, with_config
from typing_extensions import TypedDict

from trasloco.decisions.kind import Kind, Stage
from trasloco.decisions.values import Id, above_zero, known_as, within
from trasloco.mends import skies

_CLOSED = ConfigDict(strict=True, extra="forbid", allow_inf_nan=False)


@with_config(_CLOSED)
class ByCamera(TypedDict):
    """What a camera sees."""

    camera: Id


@with_config(_CLOSED)
class AroundPart(TypedDict):
    """What lies around a part."""

    part: Id
    around_m: Annotated[float, within(0, 1e6, "metres")]


_Lux = Annotated[float, above_zero(1e7, "lux")]


@with_config(_CLOSED)
class LightOfImage(TypedDict):
    """A lightmap that came along, and the lux that its white stands for."""

    image: Id
    lux: _Lux


@with_config(_CLOSED)
class LightOfPaint(TypedDict):
    """Light kept in vertex colours, and the lux that their white stands for."""

    paint: bool
    lux: _Lux


class Lightmaps(
    Kind, of=("lightmaps",), read_by=("light",), says=("light written down", "no light written down")
):
    """Whether there are lightmaps."""

    field: Literal["lightmaps"]
    value: bool


class Paths(Kind, of=("lightmaps",), read_by=("light",)):
    """Paths followed from each texel."""

    field: Literal["paths"]
    value: Annotated[int, within(1, 16384, "a number of paths")]

    def words(self) -> str:
        return f"{self.value} paths a texel"


class Bounces(Kind, of=("lightmaps",), read_by=("light",)):
    """How often light is sent on."""

    field: Literal["bounces"]
    value: Annotated[int, within(0, 16, "a number")]

    def words(self) -> str:
        return f"light sent on {self.value} time{'' if self.value == 1 else 's'}"


class BakeSeconds(Kind, of=("lightmaps",), read_by=("light",)):
    """After how long a bake stops."""

    field: Literal["bake_seconds"]
    value: Annotated[float, within(0, 86400, "seconds")] | None

    def words(self) -> str:
        return f"at most {self.value:g} s" if self.value else "no time limit"


class LightmapMib(Kind, of=("lightmaps",), read_by=("light",)):
    """Memory for all of them on arrival."""

    field: Literal["lightmap_mib"]
    value: Annotated[float, within(0.01, 4096, "MiB")] | None

    def words(self) -> str:
        return f"{self.value:g} MiB" if self.value else "as much memory as the destination gives"


class Denoised(Kind, of=("lightmaps",), read_by=("light",), says=("noise taken out", "noise left in")):
    """Whether noise is taken out."""

    field: Literal["denoised"]
    value: bool


class Stitched(Kind, of=("lightmaps",), read_by=("light",), says=("seams stitched", "seams as they are")):
    """Whether seams are made to agree."""

    field: Literal["stitched"]
    value: bool


class Directed(
    Kind,
    of=("lightmaps",),
    read_by=("light",),
    says=("told where light comes from", "not told where light comes from"),
):
    """Whether an image beside each tells where light comes from."""

    field: Literal["directed"]
    value: bool


class Matters(
    Kind,
    of=("lightmaps",),
    read_by=("light",),
    wants="a camera's id, a part's id with metres around it, or nothing",
):
    """What deserves the most texels."""

    field: Literal["matters"]
    value: ByCamera | AroundPart | None

    def words(self) -> str:
        held = next((v for k, v in self.value.items() if k in ("camera", "part")), "") if self.value else ""
        return f"what matters most: {known_as(str(held))}" if held else "what cameras see matters most"


class TexelsPerMetre(Kind, of=("part",), read_by=("light",)):
    """How finely a part's light is written down."""

    field: Literal["texels_per_metre"]
    value: Annotated[float, within(0.1, 4096, "texels a metre")] | None

    def words(self) -> str:
        return f"{self.value:g} texels a metre" if self.value else "texels by its share"


class Receives(
    Kind, of=("part",), read_by=("light",), says=("its light is written down", "lit where it arrives")
):
    """Whether a part receives a lightmap."""

    field: Literal["receives"]
    value: bool


class ReceivedLight(
    Kind,
    of=("part", "material"),
    does={Stage.LAMPS_ADDED: skies.received_light},
    wants="an image or the vertex colours, and the lux that white stands for, or nothing",
):
    """Light that came along with a part or a material."""

    field: Literal["received_light"]
    value: LightOfImage | LightOfPaint | None

    def words(self) -> str:
        if not self.value:
            return "lit anew"
        image = str(self.value.get("image", ""))
        return f"its light read from {known_as(image) if image else 'its vertex colours'}, white for {self.value['lux']:g} lux"
