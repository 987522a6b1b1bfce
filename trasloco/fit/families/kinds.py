"""What an image of a material can be, the inputs each kind fills, and the words people write for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


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


def _one(label: str, input: str, invert: bool = False) -> Kind:
    return Kind(label, (Fill(input, "r", invert),))


def _colored(label: str, input: str) -> Kind:
    return Kind(label, (Fill(input, "rgb"),), "color")


KINDS: Mapping[str, Kind] = {
    "base_color": _colored("base colour", "base_color"),
    "metalness": _one("metalness", "metalness"),
    "roughness": _one("roughness", "roughness"),
    "gloss": _one("gloss", "roughness", True),
    "normal": Kind("normal", (Fill("normal", "rgb"),), "vectors"),
    "height": _one("height", "height"),
    "occlusion": _one("occlusion", "occlusion"),
    "opacity": _one("opacity", "opacity"),
    "transparency": _one("transparency", "opacity", True),
    "emission": _colored("emission", "emission"),
    "specular": Kind("specular", (Fill("specular_color", "rgb"),), "any"),
    "specular_level": _one("specular level", "specular"),
    "clearcoat": _one("clear coat", "clearcoat"),
    "clearcoat_roughness": _one("clear coat roughness", "clearcoat_roughness"),
    "clearcoat_normal": Kind("clear coat normal", (Fill("clearcoat_normal", "rgb"),), "vectors"),
    "sheen": Kind("sheen", (Fill("sheen_color", "rgb"),), "any"),
    "sheen_roughness": _one("sheen roughness", "sheen_roughness"),
    "transmission": _one("transmission", "transmission"),
    "translucency": Kind("light let through", (Fill("diffuse_transmission_color", "rgb"),), "any"),
    "thickness": _one("thickness", "thickness"),
    "subsurface": Kind("subsurface", (Fill("subsurface_color", "rgb"),), "any"),
    "anisotropy": _one("anisotropy", "anisotropy"),
    "anisotropy_rotation": _one("anisotropy rotation", "anisotropy_rotation"),
    "iridescence": _one("thin film", "iridescence"),
    "id": Kind("IDs", (), "any"),
    "mask": Kind("a mask", (), "any"),
    "aid": Kind("an aid for painting", (), "any"),
    "lightmap": Kind("baked light", (), "any"),
}

_WRITTEN = {
    "base_color": "basecolor basecolour basecol base bcol bc color colour col clr albedo alb diffuse diff dif diffusecolor diffusecolour albedocolor",
    "metalness": "metalness metallic metallicity metal metallness metalic metl met mtl mtlc metallicmask",
    "roughness": "roughness rough rgh rou rghness specularroughness",
    "gloss": "gloss glossiness glossy gls smoothness smooth smt smth shininess",
    "normal": "normal normals normalmap nor nrm norm nrml nml nmap tangentnormal tangentspacenormal tsn normaltangent",
    "height": "height heights heightmap hgt hght displacement displace disp dsp displ bump bumpmap bmp parallax relief",
    "occlusion": "occlusion ao ambientocclusion ambientocc ambocc occ occl aomap",
    "opacity": "opacity opac alpha alphamask cutout opacitymask",
    "transparency": "transparency transparent",
    "emission": "emission emissive emit emis emm emissioncolor emissivecolor glow selfillumination selfillum incandescence luminance",
    "specular": "specular spec spc specularcolor specularcolour speccol speccolor reflection",
    "specular_level": "specularlevel speclevel specularweight specularintensity reflectance",
    "clearcoat": "clearcoat coat coatweight clearcoatweight clearcoatmask ccoat",
    "clearcoat_roughness": "clearcoatroughness coatroughness clearcoatrough coatrough ccrough",
    "clearcoat_normal": "clearcoatnormal coatnormal",
    "sheen": "sheen sheencolor sheencolour fuzz fuzzcolor",
    "sheen_roughness": "sheenroughness fuzzroughness sheenrough",
    "transmission": "transmission transmissive transm transmissionweight refraction",
    "translucency": "translucency translucent backlight",
    "thickness": "thickness thick thicknessmap",
    "subsurface": "subsurface sss scatter scattering subsurfacecolor sssmask subsurfacescattering",
    "anisotropy": "anisotropy aniso anisotropic anisotropylevel",
    "anisotropy_rotation": "anisotropyrotation anisotropyangle anisoangle anisorotation",
    "iridescence": "iridescence thinfilm",
    "id": "id ids idmap matid materialid colorid idmask",
    "mask": "mask msk maskmap",
    "aid": "cavity cav curvature curv position pos worldnormal objectnormal worldspacenormal objectspacenormal dirt edges wear",
    "lightmap": "lightmap lm bakedlight lightbake",
}

WORDS: Mapping[str, str] = {word: kind for kind, words in _WRITTEN.items() for word in words.split()}
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
