"""The vocabulary of a sheet: one program's conventions and abilities, as data."""

from __future__ import annotations

import tomllib
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from trasloco.errors import Refused
from trasloco.scene.inputs import INPUTS

Layout = Literal["glb", "glb and list", "usd and materialx"]


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Conventions(_Strict):
    """How numbers are meant. ``unit_m`` is metres a unit; ``gloss_top`` is the exponent that full gloss stands for, where the curve is one."""

    up_axis: Literal["X", "Y", "Z"] = "Y"
    unit_m: float = Field(default=1.0, gt=0)
    normal_green: Literal["up", "down"] = "up"
    shininess: Literal["roughness", "gloss"] = "roughness"
    gloss_curve: Literal["linear", "squared", "exponent"] = "linear"
    gloss_top: float = Field(default=1024.0, gt=0)
    relief: Literal["normal", "height"] = "normal"
    tint: Literal["multiplies the image", "replaced by the image"] = "multiplies the image"
    vertex_color_encoding: Literal["linear", "srgb"] = "linear"
    ids_by_vertex_color: bool = False


class ImageRules(_Strict):
    """What image files must be. ``largest`` is the longest side in texels, 0 for no limit; ``pattern`` names files."""

    folder: str = ""
    pattern: str = "{material}-{set}"
    kind: Literal["png", "jpg", "exr"] = "png"
    depth: Literal[8, 16] = 8
    power_of_two: bool = False
    largest: int = Field(default=0, ge=0)
    embedded: bool = False


class ImageSet(_Strict):
    """One delivered image: which input each channel holds. Channels are ``rgb`` or single letters."""

    name: str
    channels: dict[Literal["rgb", "r", "g", "b", "a"], str]
    encoding: Literal["srgb", "linear"] = "linear"

    @model_validator(mode="after")
    def _known(self) -> ImageSet:
        for name in self.channels.values():
            if name not in INPUTS:
                raise ValueError(f"there is no input called {name}")
        return self


class InputRule(_Strict):
    """How an input is taken: by a constant, and whether that constant multiplies an image of it."""

    value: bool = True
    multiplies: bool = False
    note: str = ""


class Materials(_Strict):
    inputs: dict[str, InputRule] = Field(default_factory=dict)
    sets: list[ImageSet] = Field(default_factory=list)
    alpha: list[Literal["opaque", "mask", "blend"]] = Field(default_factory=lambda: ["opaque"])  # type: ignore[arg-type]
    two_sided: Literal["flag", "always", "never"] = "flag"
    vertex_color: Literal["multiplies", "ignored"] = "ignored"
    texture_transform: bool = False
    occlusion_multiplied: bool = False

    @model_validator(mode="after")
    def _known(self) -> Materials:
        for name in self.inputs:
            if name not in INPUTS:
                raise ValueError(f"there is no input called {name}")
        return self

    def set_of(self, name: str) -> tuple[ImageSet, str] | None:
        """The image set and channel that hold an input."""
        for one in self.sets:
            for channel, held in one.channels.items():
                if held == name:
                    return one, channel
        return None


class Lights(_Strict):
    kinds: list[Literal["sun", "point", "spot"]] = Field(default_factory=list)
    most: int = Field(default=0, ge=0, description="how many lights are taken, 0 for any number")
    unit: Literal["candela and lux", "none"] = "candela and lux"
    environment: bool = False


class Habit(_Strict):
    """What the importer silently does."""

    name: str
    does: str


class Sheet(_Strict):
    """Everything that is written down about one program."""

    name: str
    role: Literal["source", "destination", "both"] = "both"
    summary: str
    layout: Layout | None = None
    conventions: Conventions = Conventions()
    images: ImageRules = ImageRules()
    materials: Materials = Materials()
    lights: Lights = Lights()
    habits: list[Habit] = Field(default_factory=list)
    notes: dict[str, str] = Field(default_factory=dict, description="field path to why programs of this kind do so")


def parse_sheet(text: str, where: str) -> Sheet:
    """A sheet from TOML.

    Raises:
        Refused: broken TOML, or a field that is unknown or has an impossible value; the message names the field.
    """
    try:
        return Sheet.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise Refused(f"This is not valid TOML ({error}).", where, "Mend the line it names.") from None
    except ValidationError as error:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"]) or "the sheet"
        raise Refused(f"{field}: {first['msg']}.", where, "Mend this field.") from None
