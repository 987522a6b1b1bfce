"""The vocabulary of a sheet: one program's conventions and abilities, as data."""

from __future__ import annotations

import re
from string import Formatter
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from trasloco.inputs.table import INPUTS
from trasloco.light_codes.codes import LIGHT_CODES
from trasloco.scene.coding import Coding
from trasloco.sheets.meanings import Meanings, ToneCurve


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Conventions(_Strict):
    """How numbers are meant.

    ``unit_m`` is metres a unit; ``space`` is whether files hold points in that axis and unit already, or stay
    Y up in metres and say so; ``gloss_top`` is the exponent that full gloss stands for, where the curve is
    one.
    """

    up_axis: Literal["X", "Y", "Z"] = "Y"
    unit_m: float = Field(default=1.0, gt=0)
    space: Literal["converted", "stated"] = "converted"
    normal_green: Literal["up", "down"] = "up"
    shininess: Literal["roughness", "gloss"] = "roughness"
    gloss_curve: Literal["linear", "squared", "exponent"] = "linear"
    gloss_top: float = Field(default=1024.0, gt=0)
    relief: Literal["normal", "height"] = "normal"
    tint: Literal["multiplies the image", "replaced by the image"] = "multiplies the image"
    vertex_color: Literal["multiplies", "ignored"] = "multiplies"
    vertex_color_encoding: Literal["linear", "srgb"] = "linear"
    ids_by_vertex_color: bool = False

    @property
    def in_files(self) -> tuple[Literal["X", "Y", "Z"], float]:
        """Axis and unit that files are written in, which they state where their format has a place for it."""
        return ("Y", 1.0) if self.space == "stated" else (self.up_axis, self.unit_m)


_OF_8_BITS = ("jpg", "ktx2", "dds", "tga", "webp")
IN_BLOCKS = ("ktx2", "dds")
"""Kinds of image that are made of blocks of 4 × 4 texels."""
WITH_QUALITIES = ("jpg", "ktx2")
"""Kinds of image that can be made smaller at the cost of looks."""
CodedKind = Literal["png", "jpg", "ktx2", "dds", "tif", "tga", "webp"]
ImageKind = CodedKind | Literal["exr"]


class ImageRules(_Strict):
    """What image files must be.

    ``largest`` is the longest side in texels, 0 for no limit; ``pattern`` names files. ``basis`` is how KTX2
    images are compressed, ``blocks`` how DDS; ``levels`` whether both hold all smaller ones. ``loss`` is how
    much ΔE an image may lose in the mean, where its kind can be made smaller at the cost of looks; 0 for as
    the kind is usually written. ``also`` are kinds that it reads too, for what is asked for one by one.
    """

    folder: str = ""
    pattern: str = "{material}-{set}"
    kind: ImageKind = "png"
    also: tuple[CodedKind, ...] = ()
    basis: Literal["uastc", "etc1s"] = "uastc"
    blocks: Literal["finest", "smallest"] = "finest"
    levels: bool = True
    loss: float = Field(default=0.0, ge=0, le=20)
    depth: Literal[8, 16] = 8
    power_of_two: bool = False
    largest: int = Field(default=0, ge=0, le=65536)
    embedded: bool = False

    @property
    def coding(self) -> Coding:
        return Coding(self.basis, self.blocks, self.levels)

    def as_files(self, kind: ImageKind, loss: float) -> ImageRules:
        """The same for files of a kind that it reads, which another kind than its own is coded as usual."""
        depth = 8 if kind in _OF_8_BITS else self.depth
        kept = loss if kind in WITH_QUALITIES else 0.0
        coded = {} if kind == self.kind else {"basis": "uastc", "blocks": "finest"}
        return ImageRules(**{**self.model_dump(), **coded, "kind": kind, "loss": kept, "depth": depth})

    @field_validator("folder")
    @classmethod
    def _inside(cls, folder: str) -> str:
        if folder and not re.fullmatch(r"[A-Za-z0-9_\-]+(/[A-Za-z0-9_\-]+)*", folder):
            raise ValueError("a folder has letters, digits, - and _, with / between its levels")
        return folder

    @field_validator("pattern")
    @classmethod
    def _tells_apart(cls, pattern: str) -> str:
        try:
            names = {name for _, name, _, _ in Formatter().parse(pattern) if name is not None}
        except ValueError:
            names = {"?"}
        if names != {"material", "set"} or not re.fullmatch(r"[A-Za-z0-9_\-. {}]+", pattern):
            raise ValueError("a pattern has {material} and {set}, and between them letters, digits, - and _")
        return pattern

    @model_validator(mode="after")
    def _holds(self) -> ImageRules:
        if self.kind in _OF_8_BITS and self.depth == 16:
            raise ValueError(f"{self.kind.upper()} holds 8 bits, not 16")
        if self.blocks != "finest" and self.kind != "dds":
            raise ValueError("only DDS images are compressed in blocks of one's choice")
        if self.basis != "uastc" and self.kind != "ktx2":
            raise ValueError("only KTX2 images are compressed as UASTC or ETC1S")
        if self.loss and self.kind not in WITH_QUALITIES:
            raise ValueError(
                f"{self.kind.upper()} is written in one way; what may be lost is asked of JPEG and KTX2"
            )
        return self


class ImageSet(_Strict):
    """One delivered image: which input each channel holds. Channels are ``rgb`` or single letters."""

    name: str = Field(min_length=1, max_length=40, pattern=r"^[A-Za-z0-9_\-]+$")
    channels: dict[Literal["rgb", "r", "g", "b", "a"], str]
    encoding: Literal["srgb", "linear"] = "linear"

    @model_validator(mode="after")
    def _known(self) -> ImageSet:
        for name in self.channels.values():
            if name not in INPUTS:
                raise ValueError(f"there is no input called {name}")
        letters = "".join(self.channels)
        if len(set(letters)) != len(letters):
            raise ValueError(f"{self.name} holds two things in one channel")
        for channel, name in self.channels.items():
            if (channel == "rgb") != (INPUTS[name].channels == 3):
                raise ValueError(
                    f"{INPUTS[name].label.lower()} takes {'three channels' if INPUTS[name].channels == 3 else 'one channel'}, not {channel.upper()}"
                )
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
    wraps: Literal["any", "repeat or clamp", "repeat"] = "any"
    cut_at: Literal["any", "half"] = "any"
    relief_strength: Literal["beside", "in the image"] = "beside"
    occlusion_multiplied: bool = False
    colors_on_points: bool = False

    @model_validator(mode="after")
    def _known(self) -> Materials:
        for name in self.inputs:
            if name not in INPUTS:
                raise ValueError(f"there is no input called {name}")
        held = [name for one in self.sets for name in one.channels.values()]
        twice = next((name for name in held if held.count(name) > 1), None)
        if twice:
            raise ValueError(f"{INPUTS[twice].label.lower()} is in two images")
        named = [one.name for one in self.sets]
        if len(set(named)) != len(named):
            raise ValueError("two images have the same name")
        return self

    def set_of(self, name: str) -> tuple[ImageSet, str] | None:
        """The image set and channel that hold an input."""
        for one in self.sets:
            for channel, held in one.channels.items():
                if held == name:
                    return one, channel
        return None


class Lights(_Strict):
    """Which lamps are taken. ``unit`` is what their numbers are in: the file's own, or lumen for all but
    suns.
    """

    kinds: list[Literal["sun", "point", "spot", "rectangle", "disc"]] = Field(default_factory=list)
    most: int = Field(default=0, ge=0, description="how many lights are taken, 0 for any number")
    unit: Literal["candela and lux", "lumen and lux", "none"] = "candela and lux"
    cone: Literal["inner and outer", "outer only"] = "inner and outer"
    sizes: bool = False
    shadows: bool = True
    environment: bool = False
    backdrop: bool = False


class Cameras(_Strict):
    """Whether cameras are taken, and what they bring along beside their place and angle: ``lens`` is focus
    and f-stop, ``shift`` frames that do not lie about the middle that the lens looks at.
    """

    taken: bool = True
    lens: bool = False
    shift: bool = False


class Lightmaps(_Strict):
    """How light that was written down is taken. ``largest`` is the longest side in texels; ``budget_mib``
    what all images may take in memory; ``compressed`` whether they stay so;
    ``direction`` whether an image beside each says where light comes from, so that relief still shows;
    ``probes`` whether parts that move are lit by light written down at places."""

    taken: bool = False
    encoding: str = "half float"
    packing: Literal["together", "one a part"] = "together"
    largest: int = Field(default=1024, ge=32, le=16384)
    budget_mib: float = Field(default=8.0, gt=0, le=4096)
    compressed: bool = False
    direction: bool = False
    probes: bool = False

    @model_validator(mode="after")
    def _holds(self) -> Lightmaps:
        if self.largest & (self.largest - 1):
            raise ValueError("the longest side of a lightmap is a power of two")
        if self.encoding not in LIGHT_CODES:
            raise ValueError(f"light is stored as {', '.join(LIGHT_CODES)}, not as {self.encoding[:40]}")
        if self.compressed and not LIGHT_CODES[self.encoding].blocks:
            others = " or ".join(name for name, code in LIGHT_CODES.items() if code.blocks)
            raise ValueError(f"{self.encoding} is not compressed in blocks; take {others}")
        return self


class Structure(_Strict):
    """What a program keeps beside surfaces, lamps and cameras. ``curves`` is what lies between keys: every
    way that glTF has, or straight lines only; ``motion`` are the kinds that it plays: places of parts, skins
    on joints, weights of shapes. Without ``pivots`` points are written where they stand in the world;
    ``colors`` are those on points; ``uv_sets`` is how many a mesh may have; ``plain`` names are letters,
    digits, - and _, each once; ``variants`` are other materials that slots may wear, by name; ``obstacles``
    whether what stands for parts where things collide is told in words alone or in shapes.
    """

    groups: bool = True
    pivots: bool = True
    instances: bool = True
    colors: bool = True
    uv_sets: Literal["any", "one", "none"] = "any"
    normals: bool = True
    slots: Literal["kept", "by material", "one a part", "none"] = "kept"
    names: Literal["kept", "plain"] = "kept"
    layers: bool = False
    properties: bool = True
    tangents: bool = True
    motion: list[Literal["places", "skins", "shapes"]] = Field(
        default_factory=lambda: ["places", "skins", "shapes"]  # type: ignore[arg-type]
    )  # type: ignore[arg-type]
    curves: Literal["kept", "straight"] = "kept"
    frame_rate: bool = False
    clouds: bool = False
    variants: bool = False
    obstacles: Literal["words", "shapes"] = "words"


class Geometry(_Strict):
    """What meshes must be. ``most_triangles`` is the limit of one part, 0 for none."""

    most_triangles: int = Field(default=0, ge=0)


class AfterEffect(_Strict):
    """What a program does to a picture once it is drawn, that no file says: judged with it off, or simulated
    where ``acts`` names a formula (proof/effects.py).

    ``amount`` and ``reach`` are that formula's numbers, ``curve`` a tone curve's.
    """

    name: str = Field(min_length=1, max_length=60)
    does: str = Field(max_length=300)
    off: str = Field(default="", max_length=300)
    acts: Literal["", "exposure", "occlusion", "glow", "contrast", "distortion", "tone curve"] = ""
    amount: float = Field(default=0.0, ge=-10, le=10)
    reach: float = Field(default=0.0, ge=0, le=100)
    curve: ToneCurve = ToneCurve()


class Habit(_Strict):
    """What the importer silently does. What no line of the sheet says already, ``acts`` names: lamps whose
    unit is not told arrive ``amount`` times as strong."""

    name: str
    does: str
    acts: Literal["", "strength without unit"] = ""
    amount: float = Field(default=1.0, ge=0, le=1000)


class PackageRules(_Strict):
    """As which of its open forms a layout is written; ``usual`` is the one that it has by itself.

    ``files``: everything in one, or a file for each part or material, where the layout can. ``pictures`` of
    what arrives lie beside it; ``networks``: whether materials as networks have a preview surface beside
    them; ``table``: a plain table of materials, and its ``columns``.
    """

    form: Literal[
        "usual",
        "glb",
        "gltf",
        "gltf embedded",
        "usdc",
        "usda",
        "obj",
        "obj classic",
        "ply",
        "ply text",
        "stl",
        "stl text",
        "usd layers",
        "usdz",
        "collada",
        "collada 1.5",
        "zae",
        "mtlx",
        "images",
    ] = "usual"
    files: Literal["one", "one a part", "one a material"] = "one"
    networks: Literal["beside preview", "alone"] = "beside preview"
    pictures: Literal["none", "one", "turntable"] = "none"
    table: Literal["none", "csv", "json"] = "none"
    columns: list[
        Literal[
            "material",
            "input",
            "value",
            "image",
            "channel",
            "uv set",
            "strength",
            "see-through",
            "two-sided",
            "parts",
        ]
    ] = Field(default_factory=lambda: ["material", "input", "value", "image", "channel"])  # type: ignore[arg-type]


class Sheet(_Strict):
    """Everything that is written down about one program."""

    name: str = Field(min_length=1, max_length=60)
    role: Literal["source", "destination", "both"] = "both"
    summary: str = Field(max_length=2000)
    layout: str | None = Field(default=None, max_length=60)
    package: PackageRules = PackageRules()
    conventions: Conventions = Conventions()
    images: ImageRules = ImageRules()
    materials: Materials = Materials()
    lights: Lights = Lights()
    cameras: Cameras = Cameras()
    lightmaps: Lightmaps = Lightmaps()
    geometry: Geometry = Geometry()
    structure: Structure = Structure()
    habits: list[Habit] = Field(default_factory=list)
    after_effects: list[AfterEffect] = Field(default_factory=list)
    meanings: Meanings = Meanings()
    measured: dict[str, float] = Field(
        default_factory=dict, description="line to the confidence with which a gauge told it, 0 to 1"
    )
    notes: dict[str, str] = Field(
        default_factory=dict, description="field path to why programs of this kind do so"
    )


def first_fault(error: ValidationError) -> tuple[str, str]:
    """The dotted path of the first broken field, and what is wrong with it as a sentence."""
    first = error.errors()[0]
    path = ".".join(str(part) for part in first["loc"]) or "the sheet"
    message = str(first["msg"]).removeprefix("Value error, ").rstrip(".")
    return path, message[:1].upper() + message[1:] + "."
