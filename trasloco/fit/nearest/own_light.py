"""The scene's own light where a material is worn, as surroundings that looks are compared in."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.cluster.vq import kmeans2

from trasloco.fit.nearest.surroundings import COLUMNS, ROWS, Around, lobe, softened, three
from trasloco.light.surroundings import directions, radiance_of, solid_angles
from trasloco.render.picture import views_of
from trasloco.scene.color import luminance
from trasloco.scene.geometry import blended, spread_points
from trasloco.scene.light_units import cone_share
from trasloco.scene.lit import Light
from trasloco.scene.model import Scene

Doubles = npt.NDArray[np.float64]
NAME = "the scene's own light"
_K = 60.0
"""How sharp a lamp is drawn: 7 degrees to where it is half as bright."""
_LEAST_M = 0.05
_PLACES, _SPREAD, _SEED = 16, 1024, 23


def around(scene: Scene, material: str) -> Around:
    """The three lights that every fit is made in, and the scene's own, which counts as much as they do
    together.
    """
    own, known = own_light(scene, material), three()
    if own is None:
        return known
    return Around(
        (*known.names, NAME),
        np.concatenate([known.pictures, own[None]]),
        np.append(known.shares * 0.5, 0.5),
        own_places(scene, material),
    )


def own_light(scene: Scene, material: str) -> Doubles | None:
    """Light that comes to the middle of what wears a material, (H, W, 3), as bright over the sphere as the
    sample's booth; seen so that the scene's first camera looks along -Z. None where nothing lights it.

    Lamps are soft lobes with the illuminance that they have there (inverse square, cone, cosine of an area
    lamp); what stands between is not asked for.
    """
    world = scene.world_matrices()
    place = _middle(scene, material, world)
    yaw = _yaw(views_of(scene)[0].matrix)
    made = np.zeros((ROWS, COLUMNS, 3))
    if scene.environment is not None and scene.environment.image in scene.images:
        image = scene.images[scene.environment.image]
        if image.usable:
            there = softened(radiance_of(image, scene.environment.level))
            made += _turned(there, scene.environment.turn_rad - yaw)
    for node in scene.nodes.values():
        light = scene.lights.get(node.light or "")
        if light is None or not light.enabled or light.opening:
            continue
        towards, lux = _from_lamp(light, world[node.id], place)
        if lux > 0:
            c, s = math.cos(-yaw), math.sin(-yaw)
            seen = np.array([c * towards[0] + s * towards[2], towards[1], -s * towards[0] + c * towards[2]])
            # A lobe's whole solid angle is 2 pi (1 - exp(-2k)) / k.
            nit = lux * _K / (2 * math.pi * (1 - math.exp(-2 * _K)))
            made += lobe(directions(ROWS, COLUMNS), seen, _K)[..., None] * np.array(light.color) * nit
    mean = _mean(made)
    return None if mean <= 0 else made * (_mean(three().pictures[0]) / mean)


def own_places(scene: Scene, material: str) -> tuple[Doubles, Doubles, Doubles] | None:
    """Places of what wears a material as the scene's first camera sees them, by normals, directions to the
    eye and how large they are seen; turned as :func:`own_light` is. What stands before them is not asked
    for. None where nothing of it faces the camera.
    """
    view, world = views_of(scene)[0], scene.world_matrices()
    rng = np.random.default_rng(_SEED)
    eye, normals, viewers, sizes = view.matrix[:3, 3], [], [], []
    for node in scene.nodes.values():
        for p in scene.meshes[node.mesh].primitives if node.mesh is not None else ():
            spread = spread_points(p.positions, p.indices, _SPREAD, rng) if p.material == material else None
            if spread is None:
                continue
            matrix, corners = world[node.id], p.indices[spread[0]]
            at = blended(p.positions, corners, spread[1]) @ matrix[:3, :3].T + matrix[:3, 3]
            edges = [
                (p.positions[corners[:, k]] - p.positions[corners[:, 0]]) @ matrix[:3, :3].T for k in (1, 2)
            ]
            flat = np.cross(edges[0], edges[1])
            bent = (
                flat
                if p.normals is None
                else blended(p.normals, corners, spread[1]) @ np.linalg.inv(matrix[:3, :3])
            )
            normals.append(bent / np.maximum(np.linalg.norm(bent, axis=1, keepdims=True), 1e-12))
            way = eye - at
            viewers.append(way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12))
            area = 0.5 * np.linalg.norm(flat, axis=1).mean() * len(p.indices) / _SPREAD
            sizes.append(area / np.maximum((way**2).sum(axis=1), 1e-6))
    if not normals:
        return None
    n, v, size = np.concatenate(normals), np.concatenate(viewers), np.concatenate(sizes)
    facing = np.einsum("nk,nk->n", n, v)
    behind = facing < 0
    if scene.materials[material].double_sided:
        n[behind], facing = -n[behind], np.abs(facing)
    seen = facing > 0.02
    if not seen.any():
        return None
    n, v, size = n[seen], v[seen], (size * facing)[seen]
    _, label = kmeans2(np.hstack([n, v]), min(_PLACES, len(n)), minit="++", seed=_SEED)
    held = np.unique(label)
    c, s = math.cos(-_yaw(view.matrix)), math.sin(-_yaw(view.matrix))
    turn = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])

    def middle(values: Doubles, k: int) -> Doubles:
        mean = np.average(values[label == k], axis=0, weights=size[label == k]) @ turn.T
        return np.asarray(mean / max(float(np.linalg.norm(mean)), 1e-12))

    weights = np.array([size[label == k].sum() for k in held])
    return (
        np.stack([middle(n, k) for k in held]),
        np.stack([middle(v, k) for k in held]),
        weights / weights.sum(),
    )


def _yaw(matrix: Doubles) -> float:
    """How far a camera is turned about +Y from looking along -Z."""
    ahead = -matrix[:3, 2]
    return math.atan2(-ahead[0], -ahead[2])


def what_lights(scene: Scene, material: str) -> tuple[Any, ...]:
    """All that the scene's own light on a material is made from, for the names of results."""
    world = scene.world_matrices()
    lit = [
        (n.id, world[n.id], light)
        for n in scene.nodes.values()
        if (light := scene.lights.get(n.light or "")) is not None
    ]
    worn = [
        world[n.id]
        for n in scene.nodes.values()
        if n.mesh is not None and any(p.material == material for p in scene.meshes[n.mesh].primitives)
    ]
    image = scene.images.get(scene.environment.image) if scene.environment is not None else None
    return lit, worn, scene.environment, image.digest if image is not None else "", views_of(scene)[0].matrix


def _mean(picture: Doubles) -> float:
    return float((luminance(picture) * solid_angles(ROWS, COLUMNS)).sum() / (4 * math.pi))


def _middle(scene: Scene, material: str, world: dict[str, Doubles]) -> Doubles:
    """The mean of the corners that wear a material, in the world; of all where none does."""
    for wanted in (material, None):
        found = [
            p.positions[np.unique(p.indices)] @ world[node.id][:3, :3].T + world[node.id][:3, 3]
            for node in scene.nodes.values()
            if node.mesh is not None
            for p in scene.meshes[node.mesh].primitives
            if len(p.indices) and (wanted is None or p.material == wanted)
        ]
        if found:
            return np.asarray(np.concatenate(found).mean(axis=0), np.float64)
    return np.zeros(3)


def _from_lamp(light: Light, matrix: Doubles, place: Doubles) -> tuple[Doubles, float]:
    """The direction towards a lamp, and its illuminance facing it, lux."""
    shines = -matrix[:3, 2] / np.linalg.norm(matrix[:3, 2])
    if light.kind == "sun":
        return -shines, light.intensity
    way = matrix[:3, 3] - place
    far = max(float(np.linalg.norm(way)), _LEAST_M)
    towards = way / far
    if light.kind == "point":
        return towards, light.intensity / far**2
    facing = float(-shines @ towards)
    if light.kind == "spot":
        share = float(cone_share(np.array(facing), light.inner_cone_rad, light.outer_cone_rad))
        return towards, light.intensity * share / far**2
    area = light.width_m * light.height_m if light.kind == "rectangle" else math.pi * light.width_m**2 / 4
    return towards, light.intensity * area * max(facing, 0.0) / far**2


def _turned(picture: Doubles, turn_rad: float) -> Doubles:
    """A picture of local directions as it is seen when turned about +Y."""
    by = turn_rad / (2 * math.pi) * COLUMNS
    whole = math.floor(by)
    near, next_one = np.roll(picture, -whole, axis=1), np.roll(picture, -whole - 1, axis=1)
    return np.asarray((1 - (by - whole)) * near + (by - whole) * next_one)
