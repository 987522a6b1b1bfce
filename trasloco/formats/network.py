"""A material as a MaterialX network around OpenPBR Surface: one description that the MaterialX and the USD
writer share.

Node and input names follow the MaterialX 1.39 standard library and the OpenPBR Surface 1.1 specification.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from trasloco.inputs.spec import OPENPBR
from trasloco.inputs.table import INPUTS, UNDER_THE_SURFACE, VECTORS
from trasloco.scene.glass import absorbs, is_solid
from trasloco.scene.model import Input, Material, Scene, Texture


@dataclass(frozen=True)
class Link:
    """Another node's output."""

    node: str


@dataclass
class NetworkNode:
    """One node. ``inputs`` maps names to (type, value or link, colour space)."""

    name: str
    category: str
    type: str
    inputs: dict[str, tuple[str, Any, str]] = field(default_factory=dict)

    @property
    def definition(self) -> str:
        """Identifier of the node definition in the standard library."""
        return {
            OPENPBR: "ND_open_pbr_surface_surfaceshader",
            "normalmap": "ND_normalmap_float",
            "ifgreatereq": "ND_ifgreatereq_float",
        }.get(self.category, f"ND_{self.category}_{self.type}")


SURFACE = "surface"
COAT_INDEX = 1.5
"""Index of a glTF clear coat (KHR_materials_clearcoat)."""


_LEAF = frozenset({"diffuse_transmission", "diffuse_transmission_color"})
"""In a thin wall OpenPBR's subsurface is light let through: all of it with an anisotropy of 1 (OpenPBR
Surface 1.1, thin-walled case).
"""


def is_placed(texture: Texture) -> bool:
    """Whether an image is moved, turned or repeated on its UVs."""
    return texture.offset != (0.0, 0.0) or texture.rotation_rad != 0 or texture.scale != (1.0, 1.0)


def v_up_placement(texture: Texture) -> tuple[float, tuple[float, float], tuple[float, float]]:
    """Turn in degrees, scale and translation of V-up coordinates that place an image as KHR_texture_transform
    does V-down ones.

    Scaled, then turned counter-clockwise, then moved (UsdTransform2d). With v' = 1 - v the turn and the scale
    keep their form.
    """
    turn, (sx, sy) = texture.rotation_rad, texture.scale
    shift = (texture.offset[0] + math.sin(turn) * sy, 1 - texture.offset[1] - math.cos(turn) * sy)
    return math.degrees(turn), (sx, sy), shift


def network_of(
    material: Material, scene: Scene, uv_name: Callable[[int], str], unit_m: float = 1.0
) -> list[NetworkNode]:
    """Nodes of a material, the surface last.

    ``uv_name(set)`` is the primvar of a UV set; lengths are in units of ``unit_m`` metres.
    """
    nodes: list[NetworkNode] = []
    surface = NetworkNode(SURFACE, OPENPBR, "surfaceshader")
    coordinates: dict[int, str] = {}

    def uv(uv_set: int) -> Link:
        if uv_set not in coordinates:
            coordinates[uv_set] = f"uv{uv_set}"
            nodes.append(
                NetworkNode(
                    f"uv{uv_set}", "geompropvalue", "vector2", {"geomprop": ("string", uv_name(uv_set), "")}
                )
            )
        return Link(coordinates[uv_set])

    def coordinates_of(name: str, texture: Texture) -> Link:
        """Where the image lies: the UVs, through a place2d where it is moved, turned or repeated."""
        plain = uv(texture.uv_set)
        if not is_placed(texture):
            return plain
        turn, scale, shift = v_up_placement(texture)
        # place2d divides by its scale, turns clockwise and takes its offset off.
        inputs = {
            "texcoord": ("vector2", plain, ""),
            "scale": ("vector2", (1 / scale[0], 1 / scale[1]), ""),
            "rotate": ("float", -turn, ""),
            "offset": ("vector2", (-shift[0], -shift[1]), ""),
        }
        nodes.append(NetworkNode(f"{name}_place", "place2d", "vector2", inputs))  # type: ignore[arg-type]
        return Link(f"{name}_place")

    def picture(name: str, given: Input, kind: str) -> Link | None:
        image = scene.images.get(given.texture.image) if given.texture else None
        if given.texture is None or image is None:
            return None
        space = "srgb_texture" if given.texture.encoding == "srgb" else ""
        wrap = {"repeat": "periodic", "clamp": "clamp", "mirror": "mirror"}
        inputs = {
            "file": ("filename", image.path, space),
            "texcoord": ("vector2", coordinates_of(name, given.texture), ""),
            "uaddressmode": ("string", wrap[given.texture.wrap[0]], ""),
            "vaddressmode": ("string", wrap[given.texture.wrap[1]], ""),
        }
        nodes.append(NetworkNode(f"{name}_image", "image", kind, inputs))  # type: ignore[arg-type]
        return Link(f"{name}_image")

    translucent = "diffuse_transmission" in material.inputs
    for name, given in material.inputs.items():
        row = INPUTS[name]
        target = row.nodes.openpbr
        if translucent and (name in _LEAF or name in UNDER_THE_SURFACE):
            target = row.nodes.thin if name in _LEAF else ""
        if not target or name == "sheen_color" or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        if name in VECTORS:
            link = picture(name, given, "vector3")
            if link is not None and given.texture is not None:
                nodes.append(
                    NetworkNode(
                        f"{name}_map",
                        "normalmap",
                        "vector3",
                        {"in": ("vector3", link, ""), "scale": ("float", float(given.texture.strength), "")},
                    )
                )
                surface.inputs[target] = ("vector3", Link(f"{name}_map"), "")
            continue
        kind = "color3" if row.channels == 3 else "float"
        scale = 1 / unit_m if row.length else row.nodes.scale
        value: Any = (
            tuple(float(v) for v in given.factor) if kind == "color3" else float(given.factor[0]) * scale
        )
        link = picture(name, given, kind)
        if link is not None and value not in (1.0, (1.0, 1.0, 1.0)):
            times: dict[str, tuple[str, Any, str]] = {"in1": (kind, link, ""), "in2": (kind, value, "")}
            nodes.append(NetworkNode(f"{name}_times", "multiply", kind, times))  # type: ignore[arg-type]
            link = Link(f"{name}_times")
        if name == "opacity" and material.alpha_mode == "mask":
            tested = link if link is not None else value
            nodes.append(
                NetworkNode(
                    "opacity_cut",
                    "ifgreatereq",
                    "float",
                    {
                        "value1": ("float", tested, ""),
                        "value2": ("float", material.alpha_cutoff, ""),
                        "in1": ("float", 1.0, ""),
                        "in2": ("float", 0.0, ""),
                    },
                )
            )
            link = Link("opacity_cut")
        if link is not None:
            surface.inputs[target] = (kind, link, "")
        elif value not in (float("inf"),):
            surface.inputs[target] = (kind, value, "")
    _sheen(material, surface, picture)
    _what_openpbr_assumes(material, surface, unit_m)
    if translucent:
        surface.inputs["subsurface_scatter_anisotropy"] = ("float", 1.0, "")
    if translucent or ("transmission" in material.inputs and not is_solid(material)):
        surface.inputs["geometry_thin_walled"] = ("boolean", True, "")
    if "emission" in material.inputs and "emission_luminance" not in surface.inputs:
        surface.inputs["emission_luminance"] = ("float", 1.0, "")
    return [*nodes, surface]


def _what_openpbr_assumes(material: Material, surface: NetworkNode, unit_m: float) -> None:
    """What OpenPBR takes for granted and the neutral material does not: a coat of index 1.6, a radius by
    colour, glass that its base does not tint.
    """
    if "clearcoat" in material.inputs:
        surface.inputs["coat_ior"] = ("float", COAT_INDEX, "")
    if "subsurface" in material.inputs and "diffuse_transmission" not in material.inputs:
        surface.inputs["subsurface_radius_scale"] = ("color3", (1.0, 1.0, 1.0), "")
        surface.inputs.setdefault(
            "subsurface_radius", ("float", INPUTS["subsurface_radius"].default[0] / unit_m, "")
        )
    for name, row in INPUTS.items():
        unlike = row.beside in material.inputs and OPENPBR in row.nodes.assumed
        if unlike and name not in material.inputs:
            surface.inputs.setdefault(row.nodes.openpbr, ("float", row.default[0] * row.nodes.scale, ""))
    if "transmission" in material.inputs and not absorbs(material) and "base_color" in surface.inputs:
        # Without a depth its colour is a tint, which is what the base colour is to glass in glTF.
        surface.inputs["transmission_color"] = surface.inputs["base_color"]


def _sheen(
    material: Material, surface: NetworkNode, picture: Callable[[str, Input, str], Link | None]
) -> None:
    """Sheen colour as OpenPBR's fuzz: weight x colour, the weight 1 beside an image, else the strongest
    channel.
    """
    given = material.inputs.get("sheen_color")
    if given is None:
        return
    link = picture("sheen_color", given, "color3")
    if link is not None:
        surface.inputs["fuzz_color"], surface.inputs["fuzz_weight"] = ("color3", link, ""), ("float", 1.0, "")
        return
    weight = max(given.factor)
    if weight > 0:
        surface.inputs["fuzz_color"], surface.inputs["fuzz_weight"] = (
            ("color3", tuple(c / weight for c in given.factor), ""),
            ("float", float(weight), ""),
        )
