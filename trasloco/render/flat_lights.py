"""What lights a scene, as arrays for the kernels: lamps, what surrounds it, where that comes in, what glows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from trasloco.render.areas import AREA_PART, has_area
from trasloco.render.columns import LAMP_COLUMNS, POINT, SPOT, SUN
from trasloco.render.sampling import picking
from trasloco.scene.color import LUMINANCE, srgb_to_linear
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.lit import Backdrop, Environment
from trasloco.scene.model import Scene
from trasloco.scene.resolve import color_of

LAMPS, REST = "lamps", "rest"
"""Layers of light that comes straight from lamps, and of all the rest."""


def lamps_apart(scene: Scene) -> list[str]:
    """Nodes whose light is kept apart: lamps, and the glowing surfaces that stand for area lights."""
    lamps = {light.id for light in scene.lights.values() if not has_area(light)}
    return [node.id for node in scene.nodes.values() if node.id.startswith(AREA_PART) or node.light in lamps]


def light_rows(scene: Scene, layers: Mapping[str, int]) -> Any:
    """Lamps without a surface (L, 17), in the columns of :mod:`trasloco.render.columns`; ``layers`` number
    where the light of each node is kept.
    """
    rows = []
    world = scene.world_matrices()
    for node in scene.nodes.values():
        light = scene.lights.get(node.light or "")
        if light is None or not light.enabled or light.intensity <= 0 or has_area(light) or light.opening:
            continue
        matrix = world[node.id]
        direction = -matrix[:3, 2] / max(float(np.linalg.norm(matrix[:3, 2])), 1e-30)
        power = [c * light.intensity for c in light.color]
        kind = {"sun": SUN, "point": POINT, "spot": SPOT}[light.kind]
        outer = max(light.outer_cone_rad, light.inner_cone_rad + 1e-4)
        rows.append(
            [
                kind,
                *matrix[:3, 3],
                *direction,
                *power,
                np.cos(light.inner_cone_rad),
                np.cos(outer),
                float(light.shadows),
                np.cos(light.angle_rad / 2),
                layers.get(node.id, 0),
                layers.get(node.id, layers.get(REST, 0)),
                light.radius_m if light.kind == "spot" else 0.0,
            ]
        )
    return np.array(rows, np.float64).reshape(-1, LAMP_COLUMNS)


def environment_tables(picture: Any) -> tuple[Any, Any, Any, Any]:
    """A latitude-longitude picture (H, W, 3) with the density over solid angle of picking its texels by
    luminance (H, W, 4); tables to pick a row, and a column of it; cosines at the rows' edges (H + 1,).
    """
    height, width = picture.shape[:2]
    # A row's texels all have the solid angle between its two circles of latitude.
    edges = np.cos(np.arange(height + 1) / height * np.pi)
    bands = -np.diff(edges)
    weights = (picture @ np.array(LUMINANCE)).astype(np.float64) * bands[:, None]
    total = weights.sum()
    solid = 2 * np.pi / width * bands
    density = weights / total / solid[:, None] if total > 0 else np.zeros_like(weights)
    return (
        np.concatenate([picture, density[..., None].astype(np.float32)], axis=-1),
        picking(weights.sum(axis=1)[None]),
        picking(weights),
        edges,
    )


def glow_tables(positions: Any, triangles: Any, bright: Any) -> tuple[Any, Any, Any]:
    """Emitting triangles, a table to pick them by area times how ``bright`` (T,) each is, and the density of
    each.
    """
    lit = np.flatnonzero(bright > 0) if len(triangles) else np.zeros(0, np.int64)
    corners = positions[triangles[lit]].astype(np.float64)
    areas = (
        0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
        if len(lit)
        else np.zeros(0)
    )
    power = areas * bright[lit]
    density = np.zeros(len(triangles))
    if power.sum() > 0:
        density[lit] = power / power.sum() / np.maximum(areas, 1e-30)
        return lit, picking(power[None]), density
    return np.zeros(0, np.int64), np.zeros(0), density


def openings_of(scene: Scene) -> Any:
    """Where the environment comes in (Q, 13): corner, edges along u and v, normal, area."""
    rows = []
    world = scene.world_matrices()
    for node in scene.nodes.values():
        light = scene.lights.get(node.light or "")
        if light is None or not light.opening or not light.enabled:
            continue
        x, y = world[node.id][:3, 0] * light.width_m, world[node.id][:3, 1] * light.height_m
        across = np.cross(x, y)
        area = float(np.linalg.norm(across))
        if area > 0:
            rows.append([*(world[node.id][:3, 3] - x / 2 - y / 2), *x, *y, *(across / area), area])
    return np.array(rows, np.float64).reshape(-1, 13)


def surrounding(scene: Scene, given: Environment | Backdrop | None) -> tuple[Any, float] | None:
    """Radiance (H, W, 3) in nit of a picture that surrounds the scene, and its turn; None where there is
    none.
    """
    image = scene.images.get(given.image) if given is not None else None
    if given is None or image is None or not image.usable:
        return None
    values = unit_floats(color_of(pixels(image)))
    return np.ascontiguousarray(
        np.maximum(values if image.floating else srgb_to_linear(values), 0) * np.float32(given.level)
    ), given.turn_rad
