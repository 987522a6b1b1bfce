"""Surface nodes of the open standards as neutral inputs: OpenPBR Surface, Standard Surface, glTF PBR,
UsdPreviewSurface.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from trasloco.formats.graph import Graph
from trasloco.formats.graph_terms import GraphNode, Term, Wire
from trasloco.inputs.spec import GLTF_NODE, OPENPBR, PREVIEW, STANDARD
from trasloco.inputs.table import INPUTS, LENGTHS, SCATTERING, VECTORS
from trasloco.scene.glass import WHOLE
from trasloco.scene.model import Input, Material

SURFACES: dict[str, dict[str, str]] = {
    node: {
        row.nodes.of(node): name
        for name, row in INPUTS.items()
        if row.nodes.of(node) and (name == "base_color" or node not in row.nodes.weights)
    }
    for node in (OPENPBR, STANDARD, GLTF_NODE, PREVIEW)
}
"""Neutral inputs by what a surface node calls them; a colour with a weight of its own is put together apart.
"""


def assumed_by(node: str, beside: bool) -> dict[str, tuple[float, ...]]:
    """What a surface node takes for granted where the neutral default is another: of inputs that stand alone,
    or of those that say something only ``beside`` another.
    """
    return {
        name: row.nodes.assumed[node]
        for name, row in INPUTS.items()
        if node in row.nodes.assumed and bool(row.beside) == beside
    }


_LAYERED = (OPENPBR, STANDARD)
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
        term = graph.term(given, spec.channels, spec.holds)
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
    for target, value in assumed_by(surface.category, beside=True).items():
        if INPUTS[target].beside in inputs:
            inputs.setdefault(target, Input(value))
    _emission(surface, inputs)
    mode, cutoff_value = _alpha(surface, inputs)
    if surface.category in _LAYERED and "normal" in inputs and inputs["normal"].texture is None:
        del inputs["normal"]
    if surface.category == PREVIEW and surface.inputs.get("useSpecularWorkflow") not in (
        (1.0,),
        (1,),
    ):
        inputs.pop("specular_color", None)
    for target, value in assumed_by(surface.category, beside=False).items():
        inputs.setdefault(target, Input(value))
    inputs.setdefault("base_color", Input((1.0, 1.0, 1.0)))
    inputs.setdefault("metalness", Input((0.0,)))
    inputs.setdefault("roughness", Input((1.0,)))
    return Surfaced(Material(id, name, inputs, mode, cutoff_value), tuple(unread))  # type: ignore[arg-type]


def _input(term: Term, target: str) -> Input:
    if target in VECTORS:
        return Input(
            (0.0, 0.0, 1.0),
            replace(term.texture, channels="rgb", encoding="linear") if term.texture else None,
            layers=term.layers,
        )
    return Input(term.factor, term.texture, term.vertex_color, layers=term.layers)


def _walls(surface: GraphNode, inputs: dict[str, Input]) -> None:
    """OpenPBR and Standard Surface are solid unless they are told to be thin; thin, their subsurface is light
    let through.
    """
    if surface.category not in _LAYERED:
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
    if "subsurface" not in inputs or surface.category not in _LAYERED:
        return
    if surface.category == OPENPBR:
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
    if surface.category not in _LAYERED or "transmission" not in inputs:
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
    for name in SCATTERING:
        if any(inputs.pop(name, Input((0.0,))).factor):
            told(INPUTS[name].label, "nothing is scattered without a depth")
    base = inputs.get("base_color", Input(INPUTS["base_color"].nodes.assumed[surface.category]))
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
    if surface.category == STANDARD and film is not None:
        if film.texture is None and film.factor[0] == 0:
            del inputs["iridescence_thickness"]
        else:
            inputs["iridescence"] = Input((1.0,))


def _lengths(surface: GraphNode, inputs: dict[str, Input], unit_m: float) -> None:
    """Lengths to metres; the thickness of a thin film to nanometres, which OpenPBR tells in micrometres."""
    if surface.category == OPENPBR and "iridescence_thickness" in inputs:
        film = inputs["iridescence_thickness"]
        scale = INPUTS["iridescence_thickness"].nodes.scale
        inputs["iridescence_thickness"] = replace(film, factor=tuple(f / scale for f in film.factor))
    for name in LENGTHS & set(inputs) if unit_m != 1.0 else ():
        if name != "thickness" or surface.category == GLTF_NODE:
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
    weighted = ((row, row.nodes.weights.get(surface.category)) for row in INPUTS.values())
    for row, weight in weighted:
        if weight is None:
            continue
        target = row.name
        given = surface.inputs.get(weight)
        if target == "sheen_color":
            color = surface.inputs.get(row.nodes.of(surface.category))
            amount = graph.term(given, 1, "data") if given is not None else None
            if amount is None or (amount.texture is None and amount.factor[0] == 0):
                continue
            term = graph.term(color, 3, "color") if color is not None else Term((1.0, 1.0, 1.0))
            if term is None:
                continue
            texture = term.texture or (
                replace(amount.texture, channels="rgb")
                if amount.texture and amount.texture.channels == "rgb"
                else None
            )
            inputs["sheen_color"] = Input(tuple(c * amount.factor[0] for c in term.factor), texture)
        elif given is not None and target in inputs:
            amount = graph.term(given, 1, "data")
            if amount is not None and amount.texture is None:
                inputs[target] = replace(
                    inputs[target], factor=tuple(c * amount.factor[0] for c in inputs[target].factor)
                )


def _emission(surface: GraphNode, inputs: dict[str, Input]) -> None:
    """OpenPBR and Standard Surface glow only where a strength is given; their colour is then white unless
    told otherwise.
    """
    if surface.category not in _LAYERED:
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
    if surface.category == GLTF_NODE:
        number = surface.inputs.get("alpha_mode", (0.0,))
        mode = ("opaque", "mask", "blend")[min(max(int(number[0]) if isinstance(number, tuple) else 0, 0), 2)]
    elif given is None or (given.texture is None and given.factor[0] >= 1):
        mode = "opaque"
    else:
        mode = "mask" if isinstance(threshold, tuple) and cutoff > 0 else "blend"
    if mode == "opaque":
        inputs.pop("opacity", None)
    return mode, cutoff
