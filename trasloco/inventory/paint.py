"""What vertex colours are: paint, a tint left behind, IDs, baked light, a mask, or white.

Told by how they lie on the mesh, with the evidence.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.mends.id_colors import flat_face_colors
from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.scene.color import delta_e_of_linear, linear_to_srgb
from trasloco.scene.geometry import smooth_normals, transform_normals, transform_points
from trasloco.scene.model import Scene

PaintKind = Literal["paint", "tint", "ID", "baked light", "mask", "white"]
_WHITE, _GREY, _FLAT = 0.01, 0.02, 0.004
_MOST_IDS, _APART = 64, 5.0
_EXTREME, _SHARE_EXTREME = 0.03, 0.9
_FOLLOWS = 0.55
_RAYS, _MOST_POINTS, _SEED = 48, 3000, 11


@dataclass(frozen=True)
class Paint:
    """What the vertex colours of a material are.

    Attributes:
        kind: what they are for. sure: from 0 to 1. evidence: why, as a sentence without its stop.
        colors: number of distinct colours, 0 when they vary. flat: whether every face has one colour, so that
            a palette holds them exactly.
    """

    material: str
    kind: PaintKind
    sure: float
    evidence: str
    colors: int
    flat: bool


@dataclass(frozen=True)
class _Gathered:
    """All vertices of a material in the world, with their colours.

    Arrays (N, 3); ``faces`` (M, 3) flat colours or None.
    """

    positions: npt.NDArray[Any]
    normals: npt.NDArray[Any]
    colors: npt.NDArray[Any]
    faces: npt.NDArray[Any] | None


def paints(scene: Scene) -> list[Paint]:
    """One answer for every material whose parts have vertex colours."""
    return [found for material in scene.materials if (found := paint_of(scene, material)) is not None]


def paint_of(scene: Scene, material: str) -> Paint | None:
    """What the vertex colours of one material are; None when it has none."""
    gathered = gathered_colors(scene, material)
    return _judge(scene, material, gathered) if gathered is not None else None


def gathered_colors(scene: Scene, material: str) -> _Gathered | None:
    world = scene.world_matrices()
    points, normals, colors, faces = [], [], [], []
    flat = True
    for node in scene.parts():
        for p in scene.meshes[node.mesh or ""].primitives:
            if p.material != material or p.colors is None or not len(p.indices):
                continue
            used = np.unique(p.indices)
            own = p.normals if p.normals is not None else smooth_normals(p.positions, p.indices)
            points.append(transform_points(world[node.id], p.positions[used]))
            normals.append(transform_normals(world[node.id], own[used]))
            colors.append(p.colors[used, :3].astype(np.float64))
            one = flat_face_colors(p.colors, p.indices)
            flat = flat and one is not None
            if one is not None:
                faces.append(one)
    if not points:
        return None
    return _Gathered(
        np.concatenate(points),
        np.concatenate(normals),
        np.concatenate(colors),
        np.concatenate(faces) if flat else None,
    )


def _judge(scene: Scene, material: str, given: _Gathered) -> Paint:
    colors = given.colors
    distinct = np.unique(given.faces.round(4), axis=0) if given.faces is not None else None
    count, flat = (len(distinct), True) if distinct is not None else (0, False)

    def told(kind: PaintKind, sure: float, evidence: str) -> Paint:
        return Paint(material, kind, sure, evidence, count, flat)

    if float(np.abs(colors - 1).max()) < _WHITE:
        return told("white", 1.0, "every vertex is white, which changes nothing")
    base = scene.materials[material].inputs.get("base_color")
    pictured = base is not None and base.texture is not None
    if float(np.ptp(colors, axis=0).max()) < _FLAT:
        shown = " ".join(str(int(v)) for v in np.round(linear_to_srgb(colors.mean(axis=0)) * 255))
        if pictured:
            return told(
                "tint", 0.9, f"one colour everywhere, {shown}, over a base colour that comes from an image"
            )
        return told("paint", 0.6, f"one colour everywhere, {shown}, and no image beside it")
    if distinct is not None and 2 <= count <= _MOST_IDS:
        nearest_pair = _nearest_pair(distinct)
        if nearest_pair >= _APART and not pictured:
            return told(
                "ID",
                0.85,
                f"{count} flat colours, the two most alike ΔE {nearest_pair:.0f} apart, with hard borders",
            )
    grey = float(np.ptp(colors, axis=1).mean())
    extreme = float((np.minimum(colors, 1 - colors) < _EXTREME).mean())
    if extreme > _SHARE_EXTREME and (grey < _GREY or _channels_apart(colors)):
        return told("mask", 0.8, f"{100 * extreme:.0f} % of the values are 0 or 1")
    follows = _follows_light(scene, given)
    if follows > _FOLLOWS:
        return told(
            "baked light",
            min(1.0, 0.4 + 0.6 * follows),
            f"{100 * follows:.0f} % of its brightness follows which way the faces look and how closed in they are",
        )
    return told(
        "paint",
        0.5 + 0.5 * (1 - max(follows, 0)),
        f"it varies by {100 * float(colors.std(axis=0).mean()):.0f} % of full light, and only {100 * max(follows, 0):.0f} % of that follows the light",
    )


def _nearest_pair(colors: npt.NDArray[Any]) -> float:
    a, b = np.triu_indices(len(colors), 1)
    return float(np.min(delta_e_of_linear(colors[a], colors[b])))


def _channels_apart(colors: npt.NDArray[Any]) -> bool:
    """Channels that have little to do with each other, as masks packed together have."""
    varied = [channel for channel in colors.T if np.ptp(channel) > 0.5]
    if len(varied) < 2:
        return len(varied) == 1
    return float(np.abs(np.corrcoef(varied)[np.triu_indices(len(varied), 1)]).max()) < 0.5


def _follows_light(scene: Scene, given: _Gathered) -> float:
    """Share of the brightness' variance that a linear fit on normal and openness explains (R squared);
    openness by rays over the hemisphere.
    """
    luminance = given.colors @ np.array([0.2126, 0.7152, 0.0722])
    rng = np.random.default_rng(_SEED)
    chosen = rng.permutation(len(luminance))[:_MOST_POINTS]
    value = luminance[chosen]
    if len(chosen) < 12 or float(value.std()) < 1e-3:
        return 0.0
    features = np.column_stack(
        [
            np.ones(len(chosen)),
            given.normals[chosen],
            openness(scene, given.positions[chosen], given.normals[chosen], rng),
        ]
    )
    if not (np.isfinite(features).all() and np.isfinite(value).all()):
        return 0.0
    fit, *_ = np.linalg.lstsq(features, value, rcond=None)
    left = value - features @ fit
    # With few points a fit explains something of anything: adjusted for the number of features.
    return float(1 - left.var() / value.var() * (len(chosen) - 1) / max(len(chosen) - features.shape[1], 1))


def openness(
    scene: Scene, points: npt.NDArray[Any], normals: npt.NDArray[Any], rng: np.random.Generator
) -> npt.NDArray[np.float64]:
    """Share of cosine-weighted rays over each point that reach the outside, (N,)."""
    clouds, faces, start = [], [], 0
    world = scene.world_matrices()
    for node in scene.parts():
        for p in scene.meshes[node.mesh or ""].primitives:
            clouds.append(transform_points(world[node.id], p.positions).astype(np.float32))
            faces.append(p.indices + np.uint32(start))
            start += len(p.positions)
    cloud = np.concatenate(clouds)
    rays = RayScene(cloud, np.concatenate(faces).astype(np.uint32))
    lift = 1e-4 * max(float(np.ptp(cloud, axis=0).max()), 1e-6)
    ball = rng.standard_normal((len(points), _RAYS, 3))
    ball /= np.linalg.norm(ball, axis=2, keepdims=True)
    out = normals[:, None, :] + ball * 0.999
    out /= np.linalg.norm(out, axis=2, keepdims=True)
    origins = np.repeat(points + normals * lift, _RAYS, axis=0).astype(np.float32)
    hit, _ = nearest(rays, origins, out.reshape(-1, 3).astype(np.float32))
    return np.asarray((hit < 0).reshape(len(points), _RAYS).mean(axis=1))
