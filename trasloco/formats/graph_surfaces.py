"""Surface nodes of the open standards as neutral inputs: OpenPBR Surface, Standard Surface, glTF PBR,
UsdPreviewSurface.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from trasloco.formats.graph import Graph, GraphNode, Term, Wire
from trasloco.scene.inputs import INPUTS, LENGTHS, WHOLE
from trasloco.scene.model import Input, Material

_OPENPBR = {
    spec.openpbr: spec.name for spec in INPUTS.values() if spec.openpbr and spec.name != "sheen_color"
}
_STANDARD = {
    "base_color": "base_color",
    "metalness": "metalness",
    "specular_roughness": "roughness",
    "specular": "specular",
    "specular_color": "specular_color",
    "specular_IOR": "ior",
    "specular_anisotropy": "anisotropy",
    "specular_rotation": "anisotropy_rotation",
    "transmission": "transmission",
    "transmission_color": "attenuation_color",
    "transmission_depth": "attenuation_distance",
    "subsurface": "subsurface",
    "subsurface_color": "subsurface_color",
    "sheen_roughness": "sheen_roughness",
    "coat": "clearcoat",
    "coat_roughness": "clearcoat_roughness",
    "coat_normal": "clearcoat_normal",
    "thin_film_thickness": "iridescence_thickness",
    "thin_film_IOR": "iridescence_ior",
    "emission": "emission_strength",
    "emission_color": "emission",
    "opacity": "opacity",
    "normal": "normal",
}
_GLTF = {
    "base_color": "base_color",
    "metallic": "metalness",
    "roughness": "roughness",
    "normal": "normal",
    "occlusion": "occlusion",
    "transmission": "transmission",
    "specular": "specular",
    "specular_color": "specular_color",
    "ior": "ior",
    "alpha": "opacity",
    "iridescence": "iridescence",
    "iridescence_ior": "iridescence_ior",
    "iridescence_thickness": "iridescence_thickness",
    "sheen_color": "sheen_color",
    "sheen_roughness": "sheen_roughness",
    "clearcoat": "clearcoat",
    "clearcoat_roughness": "clearcoat_roughness",
    "clearcoat_normal": "clearcoat_normal",
    "emissive": "emission",
    "emissive_strength": "emission_strength",
    "thickness": "thickness",
    "attenuation_distance": "attenuation_distance",
    "attenuation_color": "attenuation_color",
    "anisotropy_strength": "anisotropy",
    "anisotropy_rotation": "anisotropy_rotation",
    "dispersion": "dispersion",
}
_PREVIEW = {
    "diffuseColor": "base_color",
    "emissiveColor": "emission",
    "metallic": "metalness",
    "roughness": "roughness",
    "clearcoat": "clearcoat",
    "clearcoatRoughness": "clearcoat_roughness",
    "opacity": "opacity",
    "ior": "ior",
    "normal": "normal",
    "occlusion": "occlusion",
    "displacement": "height",
    "specularColor": "specular_color",
}
# What each surface node assumes where nothing is given, when the neutral default differs (from its
# specification).
ASSUMED: dict[str, dict[str, tuple[float, ...]]] = {
    "open_pbr_surface": {"base_color": (0.8, 0.8, 0.8), "roughness": (0.3,)},
    "standard_surface": {"base_color": (0.8, 0.8, 0.8), "roughness": (0.2,)},
    "gltf_pbr": {"metalness": (1.0,)},
    "UsdPreviewSurface": {"base_color": (0.18, 0.18, 0.18), "roughness": (0.5,)},
}
# The same for inputs that say something only beside another, by that other; thickness of films in nanometres.
ASSUMED_BESIDE: dict[str, dict[str, tuple[str, tuple[float, ...]]]] = {
    "open_pbr_surface": {
        "sheen_roughness": ("sheen_color", (0.5,)),
        "iridescence_ior": ("iridescence", (1.4,)),
        "iridescence_thickness": ("iridescence", (500.0,)),
        "clearcoat_darkening": ("clearcoat", (1.0,)),
    },
    "standard_surface": {
        "sheen_roughness": ("sheen_color", (0.3,)),
        "clearcoat_roughness": ("clearcoat", (0.1,)),
        "iridescence_ior": ("iridescence", (1.5,)),
        "subsurface_color": ("subsurface", (1.0, 1.0, 1.0)),
    },
    "gltf_pbr": {"iridescence_thickness": ("iridescence", (100.0,))},
    "UsdPreviewSurface": {"clearcoat_roughness": ("clearcoat", (0.01,))},
}
SURFACES: dict[str, dict[str, str]] = {
    "open_pbr_surface": _OPENPBR,
    "standard_surface": _STANDARD,
    "gltf_pbr": _GLTF,
    "UsdPreviewSurface": _PREVIEW,
}
_QUIET = {
    "subsurface_radius_scale",
    "subsurface_scale",
    "coat_ior",
    "fuzz_weight",
    "fuzz_color",
    "base_weight",
    "base",
    "sheen",
    "sheen_color",
    "alpha_mode",
    "alpha_cutoff",
    "useSpecularWorkflow",
    "opacityThreshold",
    "opacityMode",
    "thin_walled",
    "geometry_thin_walled",
    "subsurface_scatter_anisotropy",
    "subsurface_anisotropy",
    "emission_luminance",
    "tangent",
    "geometry_tangent",
    "coat_affect_color",
    "coat_affect_roughness",
}


@dataclass(frozen=True)
class Surfaced:
    """A material and the surface inputs nobody understood."""

    material: Material
    unread: tuple[str, ...]


def surface_material(
    id: str,
    name: str,
    surface: GraphNode,
    graph: Graph,
    told: Callable[[str, str], None],
    unit_m: float = 1.0,
) -> Surfaced:
    """The neutral material of a surface node, its lengths in units of ``unit_m`` metres.

    ``told(input label, sentence)`` hears what happened to an input on the way.
    """
    table = SURFACES[surface.category]
    inputs: dict[str, Input] = {}
    unread: list[str] = []
    for key, given in surface.inputs.items():
        target = table.get(key)
        if target is None:
            if key not in _QUIET and not isinstance(given, str):
                unread.append(key)
            continue
        spec = INPUTS[target]
        graph.told = lambda sentence, label=spec.label: told(label, sentence)  # type: ignore[misc]
        if target == "opacity" and isinstance(given, Wire):
            given, cutoff = _cut_out(graph, given)
        else:
            cutoff = None
        term = graph.term(given, spec.channels, spec.color)
        if term is None:
            continue
        if cutoff is not None:
            inputs["opacity"] = _input(term, spec.name)
            surface = replace(surface, inputs={**surface.inputs, "opacityThreshold": (cutoff,)})
            continue
        inputs[target] = _input(term, target)
    _walls(surface, inputs)
    _below(surface, inputs, told)
    _glass(surface, inputs, told)
    _lengths(surface, inputs, unit_m)
    _weights(surface, graph, inputs)
    _film(surface, inputs)
    for target, (beside, value) in ASSUMED_BESIDE[surface.category].items():
        if beside in inputs:
            inputs.setdefault(target, Input(value))
    _emission(surface, inputs)
    mode, cutoff_value = _alpha(surface, inputs)
    if (
        surface.category in ("open_pbr_surface", "standard_surface")
        and "normal" in inputs
        and inputs["normal"].texture is None
    ):
        del inputs["normal"]
    if surface.category == "UsdPreviewSurface" and surface.inputs.get("useSpecularWorkflow") not in (
        (1.0,),
        (1,),
    ):
        inputs.pop("specular_color", None)
    for target, value in ASSUMED[surface.category].items():
        inputs.setdefault(target, Input(value))
    inputs.setdefault("base_color", Input((1.0, 1.0, 1.0)))
    inputs.setdefault("metalness", Input((0.0,)))
    inputs.setdefault("roughness", Input((1.0,)))
    return Surfaced(Material(id, name, inputs, mode, cutoff_value), tuple(unread))  # type: ignore[arg-type]


def _input(term: Term, target: str) -> Input:
    if target in ("normal", "clearcoat_normal"):
        return Input(
            (0.0, 0.0, 1.0),
            replace(term.texture, channels="rgb", encoding="linear") if term.texture else None,
        )
    return Input(term.factor, term.texture, term.vertex_color, layers=term.layers)


def _walls(surface: GraphNode, inputs: dict[str, Input]) -> None:
    """OpenPBR and Standard Surface are solid unless they are told to be thin; thin, their subsurface is light
    let through.
    """
    if surface.category not in ("open_pbr_surface", "standard_surface"):
        return
    thin = _constant(surface, "geometry_thin_walled", _constant(surface, "thin_walled", 0.0)) != 0.0
    if not thin:
        if "transmission" in inputs:
            inputs["thickness"] = Input((1.0,))
        return
    if "subsurface" in inputs:
        given = inputs.pop("subsurface")
        share = (
            1
            + _constant(
                surface, "subsurface_scatter_anisotropy", _constant(surface, "subsurface_anisotropy", 0.0)
            )
        ) / 2
        inputs["diffuse_transmission"] = replace(given, factor=tuple(f * share for f in given.factor))
        color = inputs.pop("subsurface_color", None)
        if color is not None:
            inputs["diffuse_transmission_color"] = color
    inputs.pop("subsurface_radius", None)


def _below(surface: GraphNode, inputs: dict[str, Input], told: Callable[[str, str], None]) -> None:
    """How far light goes under the surface: one number here, a number times a colour in OpenPBR and Standard
    Surface.
    """
    if "subsurface" not in inputs or surface.category not in ("open_pbr_surface", "standard_surface"):
        return
    if surface.category == "open_pbr_surface":
        radius = _constant(surface, "subsurface_radius", 1.0)
        colors = surface.inputs.get("subsurface_radius_scale", (1.0, 0.5, 0.25))
    else:
        radius, colors = (
            _constant(surface, "subsurface_scale", 1.0),
            surface.inputs.get("subsurface_radius", (1.0, 1.0, 1.0)),
        )
    if not isinstance(colors, tuple):
        told(INPUTS["subsurface_radius"].label, "an image of it is not read; its number stands alone")
        colors = (1.0,)
    inputs["subsurface_radius"] = Input((radius * sum(colors) / len(colors),))
    if max(colors) - min(colors) > 1e-6:
        told(INPUTS["subsurface_radius"].label, "it differs by colour; its mean is taken")


def _glass(surface: GraphNode, inputs: dict[str, Input], told: Callable[[str, str], None]) -> None:
    """Without a depth OpenPBR's and Standard Surface's transmission colour is a tint, which is what the base
    colour is to glass here; with one it is what is left after that depth.
    """
    if surface.category not in ("open_pbr_surface", "standard_surface") or "transmission" not in inputs:
        return
    depth, weight = inputs.get("attenuation_distance"), inputs["transmission"]
    whole = weight.texture is None and weight.factor[0] >= WHOLE
    tint = inputs.get("attenuation_color", Input((1.0, 1.0, 1.0)))
    if depth is not None and depth.texture is None and depth.factor[0] > 0:
        if whole:
            inputs["base_color"] = Input((1.0, 1.0, 1.0))
        return
    inputs.pop("attenuation_color", None)
    inputs.pop("attenuation_distance", None)
    base = inputs.get("base_color", Input(ASSUMED[surface.category]["base_color"]))
    if whole:
        inputs["base_color"] = tint
    elif tint != base:
        told(
            INPUTS["transmission"].label,
            "its tint is another than the base colour, which stands for both here",
        )


def _film(surface: GraphNode, inputs: dict[str, Input]) -> None:
    """Standard Surface's film has no weight: it is there where it has a thickness."""
    film = inputs.get("iridescence_thickness")
    if surface.category == "standard_surface" and film is not None:
        if film.texture is None and film.factor[0] == 0:
            del inputs["iridescence_thickness"]
        else:
            inputs["iridescence"] = Input((1.0,))


def _lengths(surface: GraphNode, inputs: dict[str, Input], unit_m: float) -> None:
    """Lengths to metres; the thickness of a thin film to nanometres, which OpenPBR tells in micrometres."""
    if surface.category == "open_pbr_surface" and "iridescence_thickness" in inputs:
        film = inputs["iridescence_thickness"]
        inputs["iridescence_thickness"] = replace(film, factor=tuple(1000 * f for f in film.factor))
    for name in LENGTHS & set(inputs) if unit_m != 1.0 else ():
        if name != "thickness" or surface.category == "gltf_pbr":
            given = inputs[name]
            inputs[name] = replace(given, factor=tuple(f * unit_m for f in given.factor))


def _constant(surface: GraphNode, name: str, otherwise: float) -> float:
    given = surface.inputs.get(name)
    return float(given[0]) if isinstance(given, tuple) and given else otherwise


def _cut_out(graph: Graph, given: Wire) -> tuple[Any, float | None]:
    """``ifgreatereq(value, cutoff) -> 1, 0`` is a cut-out: the tested value and the cutoff."""
    node = graph.nodes.get(given.node)
    if node is not None and node.category == "ifgreatereq" and isinstance(node.inputs.get("value2"), tuple):
        return node.inputs.get("value1", (1.0,)), float(node.inputs["value2"][0])
    return given, None


def _weights(surface: GraphNode, graph: Graph, inputs: dict[str, Input]) -> None:
    """Weights that stand beside a colour are multiplied into it where the neutral input has none of its own."""
    weight_of = {
        "open_pbr_surface": (("base_weight", "base_color"), ("fuzz_weight", "sheen_color")),
        "standard_surface": (("base", "base_color"), ("sheen", "sheen_color")),
    }.get(surface.category, ())
    for weight, target in weight_of:
        given = surface.inputs.get(weight)
        if target == "sheen_color":
            color = surface.inputs.get({"fuzz_weight": "fuzz_color", "sheen": "sheen_color"}[weight])
            amount = graph.term(given, 1, False) if given is not None else None
            if amount is None or (amount.texture is None and amount.factor[0] == 0):
                continue
            term = graph.term(color, 3, True) if color is not None else Term((1.0, 1.0, 1.0))
            if term is None:
                continue
            texture = term.texture or (
                replace(amount.texture, channels="rgb")
                if amount.texture and amount.texture.channels == "rgb"
                else None
            )
            inputs["sheen_color"] = Input(tuple(c * amount.factor[0] for c in term.factor), texture)
        elif given is not None and target in inputs:
            amount = graph.term(given, 1, False)
            if amount is not None and amount.texture is None:
                inputs[target] = replace(
                    inputs[target], factor=tuple(c * amount.factor[0] for c in inputs[target].factor)
                )


def _emission(surface: GraphNode, inputs: dict[str, Input]) -> None:
    """OpenPBR and Standard Surface glow only where a strength is given; their colour is then white unless
    told otherwise.
    """
    if surface.category not in ("open_pbr_surface", "standard_surface"):
        return
    strength = inputs.get("emission_strength")
    if strength is None or (strength.texture is None and strength.factor[0] == 0):
        inputs.pop("emission", None)
        inputs.pop("emission_strength", None)
    else:
        inputs.setdefault("emission", Input((1.0, 1.0, 1.0)))


def _alpha(surface: GraphNode, inputs: dict[str, Input]) -> tuple[str, float]:
    given = inputs.get("opacity")
    threshold = surface.inputs.get("opacityThreshold", surface.inputs.get("alpha_cutoff"))
    cutoff = float(threshold[0]) if isinstance(threshold, tuple) else 0.5
    if surface.category == "gltf_pbr":
        number = surface.inputs.get("alpha_mode", (0.0,))
        mode = ("opaque", "mask", "blend")[min(max(int(number[0]) if isinstance(number, tuple) else 0, 0), 2)]
    elif given is None or (given.texture is None and given.factor[0] >= 1):
        mode = "opaque"
    else:
        mode = "mask" if isinstance(threshold, tuple) and cutoff > 0 else "blend"
    if mode == "opaque":
        inputs.pop("opacity", None)
    return mode, cutoff
