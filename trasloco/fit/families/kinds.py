"""What an image of a material can be, the inputs each kind fills, and the words people write for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from trasloco.inputs.spec import InNames, InputSpec
from trasloco.inputs.table import INPUTS


@dataclass(frozen=True)
class Fill:
    """One input read from an image: which channels, whether turned over (gloss as roughness), and for normals
    the way of green, None where the name does not say.
    """

    input: str
    channels: str = "r"
    invert: bool = False
    green_up: bool | None = None


@dataclass(frozen=True)
class Kind:
    """A kind of image: its name in words, the inputs it fills (none for aids such as ID images), and whether
    it holds ``color``, ``grey`` values or ``vectors``.
    """

    label: str
    fills: tuple[Fill, ...]
    holds: str = "grey"


def _named(row: InputSpec, names: InNames) -> Kind:
    holds = "any" if names.any else {"color": "color", "vector": "vectors", "data": "grey"}[row.holds]
    label = names.label or row.label[:1].lower() + row.label[1:]
    return Kind(label, (Fill(row.name, row.written_channels),), holds)


_OF_INPUTS = {
    row.names.kind or name: (_named(row, row.names), row.names.words)
    for name, row in INPUTS.items()
    if row.names is not None
}
_TURNED = {
    "gloss": (
        Kind("gloss", (Fill("roughness", "r", True),)),
        "gloss glossiness glossy gls smoothness smooth smt smth shininess",
    ),
    "transparency": (Kind("transparency", (Fill("opacity", "r", True),)), "transparency transparent"),
}
_AIDS = {
    "id": (Kind("IDs", (), "any"), "id ids idmap matid materialid colorid idmask"),
    "mask": (Kind("a mask", (), "any"), "mask msk maskmap"),
    "aid": (
        Kind("an aid for painting", (), "any"),
        "cavity cav curvature curv position pos worldnormal objectnormal worldspacenormal objectspacenormal"
        " dirt edges wear",
    ),
    "lightmap": (Kind("baked light", (), "any"), "lightmap lm bakedlight lightbake"),
}
_ALL = {**_OF_INPUTS, **_TURNED, **_AIDS}

KINDS: Mapping[str, Kind] = {name: kind for name, (kind, _) in _ALL.items()}

WORDS: Mapping[str, str] = {word: name for name, (_, words) in _ALL.items() for word in words.split()}
"""Kind by how it is written, small letters, without separators."""

LETTERS: Mapping[str, tuple[str, ...]] = {
    "n": ("normal",),
    "r": ("roughness",),
    "h": ("height",),
    "e": ("emission",),
    "g": ("gloss",),
    "c": ("base_color",),
    "d": ("base_color", "height"),
    "s": ("specular", "gloss"),
    "m": ("metalness", "mask"),
    "o": ("occlusion", "opacity"),
    "a": ("base_color", "occlusion", "opacity"),
    "b": ("base_color", "height"),
}
"""What one letter at the end of a name may mean; which one it is, the neighbours tell."""

PACKED_LETTERS: Mapping[str, str] = {
    "ao": "occlusion",
    "o": "occlusion",
    "a": "occlusion",
    "r": "roughness",
    "m": "metalness",
    "h": "height",
    "g": "gloss",
    "s": "gloss",
}

GREEN: Mapping[str, bool] = {
    word: up
    for up, words in (
        (True, "gl ogl opengl yup greenup ypos yplus"),
        (False, "dx d3d directx ydown greendown yneg yminus flippedy flipy invgreen"),
    )
    for word in words.split()
}
"""Words that say which way the green of a normal map points."""

NOISE = frozenset(
    [
        "map",
        "maps",
        "tex",
        "texs",
        "texture",
        "textures",
        "txt",
        "t",
        "img",
        "image",
        "images",
        "bitmap",
        "pic",
        "material",
        "mat",
        "srgb",
        "linear",
        "lin",
        "raw",
        "rgb",
        "rgba",
        "final",
        "baked",
        "bake",
        "tileable",
        "seamless",
        "noncolor",
        "data",
        "grey",
        "gray",
    ]
)
"""Words that say nothing about which image or which set it is."""
