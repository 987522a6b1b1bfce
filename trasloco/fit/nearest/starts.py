"""Closed forms: what an input that a destination lacks does to the inputs that it has, as places to search
from.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from trasloco.fit.nearest.model import Doubles, Model
from trasloco.fit.nearest.points import Points, held_or_default
from trasloco.fit.nearest.within import deep_albedo, scattered_share
from trasloco.render.closures.tables import albedos

_LIGHT = np.array([0.2126, 0.7152, 0.0722])
_COAT_F0 = 0.04
F82 = 1 / 7
"""The cosine at which a metal's edge tint counts (OpenPBR Surface 1.1, metal)."""

Values = dict[str, Doubles]
Fold = Callable[[Points, Values], Values]


def _now(values: Values, name: str, points: Points) -> Doubles:
    return held_or_default(values, name, len(points))


def mean_f82(f0: Doubles, edge: Doubles) -> Doubles:
    """Mean reflectance of a metal over the hemisphere: the integral of 2 c F(c) of the F82-tint model, F0 +
    (1 - F0)/21 - b/126 with b = (1 - edge)(F0 + (1 - F0)(1 - F82)^5) / (F82 (1 - F82)^6).
    """
    away = 1 - F82
    b = (1 - edge) * (f0 + (1 - f0) * away**5) / (F82 * away**6)
    return np.asarray(f0 + (1 - f0) / 21 - b / 126)


def under_a_coat(points: Points, values: Values) -> Values:
    """A clear coat, without one: its highlight is the sharper and stands for both, twice the reflectance of
    one boundary; its colour is met once in all (OpenPBR Surface 1.1, coat).
    """
    coat = points.of("clearcoat")
    rough = _now(values, "roughness", points)
    base = _now(values, "base_color", points)
    specular = _now(values, "specular", points)
    return {
        **values,
        "roughness": rough * (1 - coat) + points.of("clearcoat_roughness") * coat,
        "specular": np.clip(specular + coat, 0, 1),
        "base_color": base * (1 - coat + coat * points.of("clearcoat_color")) * (1 - _COAT_F0 * coat),
    }


def without_sheen(points: Points, values: Values) -> Values:
    """Sheen as base colour: what the fibres send back in all, over what they leave (albedo scaling)."""
    color, rough = points.of("sheen_color"), points.of("sheen_roughness")
    table = albedos().sheen
    cosines = np.linspace(0, 1, table.shape[0]) ** 2
    weight = np.gradient(cosines) * cosines
    mean = (weight @ np.minimum(table, 1)) / weight.sum()
    share = np.interp(rough[:, 0] ** 2, np.linspace(0, 1, len(mean)) ** 2, mean)[:, None]
    base = _now(values, "base_color", points)
    left = 1 - share * color.max(axis=1, keepdims=True)
    return {**values, "base_color": np.clip(base * left + color * share, 0, 1)}


def scattered_within(points: Points, values: Values) -> Values:
    """Light scattered within a solid as a dull colour, beside what goes on as it was."""
    on, depths = points.of("transmission_scatter_anisotropy"), points.of("attenuation_distance")
    scatter, left = points.of("transmission_scatter"), points.of("attenuation_color")
    dull = scattered_share(scatter, on, points.of("thickness") / np.maximum(depths, 1e-9))
    dull = dull * points.of("transmission")
    base = _now(values, "base_color", points)
    told = {**values, "base_color": base + (deep_albedo(scatter, left, on) - base) * dull}
    if "transmission" in values:
        told["transmission"] = values["transmission"] * (1 - dull.mean(axis=1, keepdims=True))
    return told


def seen_through(points: Points, values: Values) -> Values:
    """Transmission as opacity: what neither passes nor is tinted covers; the tint stays as the colour of what
    covers.
    """
    passes = (_passing(points) @ _LIGHT)[:, None]
    return {**values, "opacity": np.clip(1 - passes, 0.04, 1)}


def _passing(points: Points) -> Doubles:
    """What of light goes straight through, (K, 3)."""
    depths = points.of("thickness") / np.maximum(points.of("attenuation_distance"), 1e-9)
    scatter, on = points.of("transmission_scatter"), points.of("transmission_scatter_anisotropy")
    clear = points.of("transmission") * (1 - scattered_share(scatter, on, depths))
    tint = points.of("base_color") * np.maximum(points.of("attenuation_color"), 1e-6) ** depths
    return np.asarray(clear * tint * (1 - _COAT_F0))


def without_skin(points: Points, values: Values) -> Values:
    """Light under the skin as a dull colour: the colour of subsurface is the albedo of a deep body after all
    scattering (OpenPBR Surface 1.1).
    """
    weight, base = points.of("subsurface"), _now(values, "base_color", points)
    return {**values, "base_color": base * (1 - weight) + points.of("subsurface_color") * weight}


def not_shone_through(points: Points, values: Values) -> Values:
    """Light through a leaf as a lighter front: of what comes from behind a half is added as if it came from
    the front.
    """
    weight, base = points.of("diffuse_transmission"), _now(values, "base_color", points)
    behind = points.of("diffuse_transmission_color") * weight
    return {**values, "base_color": np.clip(base * (1 - weight) + 0.5 * behind, 0, 1)}


def without_edge_tint(points: Points, values: Values) -> Values:
    """A metal's edge tint in its colour: with the same mean reflectance, (21 F - 1) / 20 of Schlick's form."""
    base = _now(values, "base_color", points)
    metal = points.of("metalness")
    mean = mean_f82(base, points.of("specular_color"))
    return {**values, "base_color": np.clip(metal * (21 * mean - 1) / 20 + (1 - metal) * base, 0, 1)}


def not_brushed(points: Points, values: Values) -> Values:
    """Two widths of a highlight as their geometric mean; the wider is a^2 + (1 - a^2) strength^2
    (KHR_materials_anisotropy).
    """
    rough, strength = points.of("roughness"), points.of("anisotropy")
    narrow = rough**2
    wide = narrow + (1 - narrow) * strength**2
    return {**values, "roughness": np.sqrt(np.sqrt(narrow * wide))}


FOLDS: dict[str, Fold] = {
    "subsurface": without_skin,
    "diffuse_transmission": not_shone_through,
    "sheen_color": without_sheen,
    "specular_color": without_edge_tint,
    "anisotropy": not_brushed,
    "clearcoat": under_a_coat,
    "transmission_scatter": scattered_within,
    "transmission": seen_through,
}
"""By the input that does not arrive, in the order in which they are folded in: the outermost last."""


def starts(model: Model, points: Points, missing: tuple[str, ...]) -> Iterator[Doubles]:
    """Places to search from: as copied, by closed forms, and those with a sharper and a duller highlight."""
    yield model.place(model.copied, points.shares)
    folded: Values = dict(model.copied)
    for name, fold in FOLDS.items():
        if name in missing:
            folded = fold(points, folded)
    yield model.place(folded, points.shares)
    rough = _now(folded, "roughness", points)
    yield model.place({**folded, "roughness": np.clip(rough * 0.5, 0, 1)}, points.shares)
    yield model.place({**folded, "roughness": np.clip(0.5 + 0.5 * rough, 0, 1)}, points.shares)
    if "opacity" in folded and any(free.name == "opacity" for free in model.free):
        dark = _now(folded, "base_color", points) * 0.2
        yield model.place(
            {**folded, "opacity": np.full((len(points), 1), 0.15), "base_color": dark}, points.shares
        )
