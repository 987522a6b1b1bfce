"""A light as the nearest kind that a destination takes, its flux kept."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from trasloco.scene.light_units import flux_lm, solid_angle
from trasloco.scene.lit import Light

_NEAREST: dict[str, tuple[str, ...]] = {
    "rectangle": ("disc", "spot", "point"),
    "disc": ("rectangle", "spot", "point"),
    "spot": ("point",),
    "point": ("spot",),
    "sun": (),
}


def hard_edged(light: Light) -> Light:
    """A spot as full to its outer angle as its flux allows, for where there is no inner one."""
    made = replace(light, inner_cone_rad=light.outer_cone_rad)
    return replace(made, intensity=light.intensity * solid_angle(light) / max(solid_angle(made), 1e-12))


def nearest_kind(light: Light, kinds: Sequence[str]) -> Light | None:
    """The light itself where its kind is taken, else the nearest one that is, with the same luminous flux;
    None when nothing is near.

    A surface becomes a spot that fills the half space before it, or a point; a disc and a rectangle of the
    same area stand for each other.
    """
    if light.kind in kinds:
        return light
    kind = next((one for one in _NEAREST[light.kind] if one in kinds), None)
    if kind is None:
        return None
    if kind in ("rectangle", "disc"):
        side = math.sqrt(light.width_m * light.height_m) if light.kind == "rectangle" else light.width_m
        wide = (
            2 * math.sqrt(light.width_m * light.height_m / math.pi)
            if kind == "disc"
            else math.sqrt(math.pi) / 2 * side
        )
        return replace(light, kind=kind, width_m=wide, height_m=wide)  # type: ignore[arg-type]
    made = replace(
        light,
        kind=kind,  # type: ignore[arg-type]
        intensity=1.0,
        inner_cone_rad=0.0 if light.kind != "point" else 1.55,
        outer_cone_rad=1.57,
    )  # type: ignore[arg-type]
    return replace(made, intensity=flux_lm(light) / solid_angle(made))
