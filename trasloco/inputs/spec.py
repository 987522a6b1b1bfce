"""The columns of the table of material inputs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

PBR = "pbrMetallicRoughness"
"""The sub-object of a glTF material that holds its core inputs."""

OPENPBR, STANDARD, GLTF_NODE, PREVIEW = (
    "open_pbr_surface",
    "standard_surface",
    "gltf_pbr",
    "UsdPreviewSurface",
)
"""The surface nodes of MaterialX 1.39 and of UsdPreviewSurface, as they call themselves."""


Holds = Literal["color", "vector", "data"]
"""What the texels of an input are."""


@dataclass(frozen=True)
class InGltf:
    """Where glTF 2.0 keeps an input.

    Attributes:
        extension: the Khronos extension, "" for the material itself, :data:`PBR` for its sub-object.
        factor, texture: keys of its number and its image, empty where it has none.
        channels: which channels of the image hold it.
        default: what glTF assumes without a factor, where that is not the neutral default.
        fill: what the image's other channels hold to say nothing, by letter.
        lowest: key of the number that black stands for, and what glTF assumes without it.
    """

    extension: str
    factor: str
    texture: str = ""
    channels: str = ""
    default: tuple[float, ...] | None = None
    fill: Mapping[str, float] = field(default_factory=dict)
    lowest: tuple[str, float] = ("", 0.0)


@dataclass(frozen=True)
class InNodes:
    """What the surface nodes of the open standards call an input, empty where they have none.

    Attributes:
        openpbr, standard, gltf, preview: its name in OpenPBR Surface 1.1, Standard Surface 1.0.1, the glTF
            node of MaterialX and UsdPreviewSurface.
        weights: a weight that stands beside it, by node, and is multiplied in.
        assumed: what a node assumes where nothing is given and the neutral default is another.
        thin: what OpenPBR calls it where the wall is thin.
        scale: OpenPBR's number over ours, where its unit is another.
    """

    openpbr: str = ""
    standard: str = ""
    gltf: str = ""
    preview: str = ""
    weights: Mapping[str, str] = field(default_factory=dict)
    assumed: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    thin: str = ""
    scale: float = 1.0

    def of(self, node: str) -> str:
        """Its name in a node by that node's own name."""
        named = {OPENPBR: self.openpbr, STANDARD: self.standard, GLTF_NODE: self.gltf, PREVIEW: self.preview}
        return named[node]


@dataclass(frozen=True)
class InMtl:
    """Statements of MTL with the PBR extension, in small letters: of a number, and of images.

    ``classic`` is what of it the statements without the extension have a place for: its ``number``, roughness
    as an exponent, or its ``image`` as well.
    """

    value: str = ""
    maps: tuple[str, ...] = ()
    classic: Literal["", "number", "image"] = ""


@dataclass(frozen=True)
class InNames:
    """How people write it into names of image files.

    Attributes:
        words: what they write, small letters without separators, blanks between.
        kind, label: what such an image is called among kinds of images, where that is not the input's own.
        any: whether both grey and coloured images are usual.
    """

    words: str
    kind: str = ""
    label: str = ""
    any: bool = False


@dataclass(frozen=True)
class InputSpec:
    """A material input.

    Attributes:
        name, label: spelling in code and on screen.
        channels: 1 for a scalar, 3 for a colour or a direction.
        default: value when absent, ``channels`` long, linear; at its default an input changes nothing.
        holds: ``color`` (images are sRGB encoded at 8 bits), ``vector`` (directions) or ``data``.
        share: whether glTF and its extensions hold its number between 0 and 1 (their JSON schemas).
        length: whether it is a length in metres, which follows the scene's unit and scale.
        in_units: whether it is another number in units: an index, an angle, nanometres.
        beside: the input that it only says more about; without that one it means nothing.
        drawn: what of it the renderer shows: its ``image`` and number, its ``number`` alone, what is made of
            it ``through`` another, or nothing.
    """

    name: str
    label: str
    channels: int
    default: tuple[float, ...]
    holds: Holds = "data"
    share: bool = False
    length: bool = False
    in_units: bool = False
    beside: str = ""
    drawn: Literal["image", "number", "through", ""] = ""
    gltf: InGltf | None = None
    nodes: InNodes = InNodes()
    mtl: InMtl = InMtl()
    names: InNames | None = None

    @property
    def color(self) -> bool:
        """Whether images of it are colour."""
        return self.holds == "color"

    @property
    def measure(self) -> bool:
        """Whether its numbers go beyond what an image holds by itself, 0 to 1."""
        return self.length or self.in_units

    @property
    def written_channels(self) -> str:
        """Channels of an image that is all its own."""
        return "rgb" if self.channels == 3 else "r"
