"""A picture pressed onto a model where somebody points: a label or a decal, laid over what is there."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.mends.layer_values import layer_value
from trasloco.results.pointed import pointed_at, stand_at, world_of
from trasloco.results.route import Route
from trasloco.scene.geometry import blended, spread_points, transform_points
from trasloco.scene.model import Decision, Doubles, Input, Primitive, Scene, Texture
from trasloco.scene.sampling import placed

_SAMPLES, _AGAIN, _SKEWED = 200_000, 1.3, math.radians(6)
"""Points by which it is measured how much of the model a picture covers; from how many times its own area on
it is told that it shows again; and the angle from which on UVs are told to be skewed.
"""


@dataclass(frozen=True)
class Pressed:
    """What is decided, where the layer stands among those of its input, and what is to be known of it."""

    decisions: list[Decision]
    target: str
    index: int
    told: str


@dataclass(frozen=True)
class _Spot:
    """A place on a model: the primitive that was hit, its corners in the world (3, 3), weights of them (3,),
    and the normal (3,) towards whoever looks.
    """

    primitive: Primitive
    triangle: npt.NDArray[np.uint32]
    corners: Doubles
    weights: Doubles
    normal: Doubles
    name: str


def pressed(
    route: Route,
    image: str,
    point: Sequence[float],
    eye: Sequence[float],
    width_m: float,
    turn_deg: float,
    instead_of: int | None,
    uv_set: int = 0,
) -> Pressed:
    """A picture laid over the base colour of what is worn at a place, upright as whoever looks sees it.

    Args:
        point: (3,) metres in the world. eye: 16 numbers row by row, camera to world. width_m: how wide it is
        there.
        turn_deg: counter-clockwise. instead_of: the number of a layer that it replaces.

    Raises:
        Refused: there is no such image, nothing is there, or it has no UVs to lay a picture by.
    """
    scene = route.reference()
    held = route.received().scene.images.get(image) or scene.images.get(image)
    if held is None or not held.usable:
        raise Refused("There is no such picture.", image, "Choose an image of the delivery.")
    stand = stand_at(eye)
    spot = _hit(route, scene, stand, np.array(point, np.float64))
    material = spot.primitive.material or ""
    if material not in scene.materials:
        raise Refused("What is there wears no material.", spot.name, "Give it one first.")
    if uv_set >= len(spot.primitive.uvs):
        raise Refused(
            "It has no UVs to lay a picture by.", spot.name, "Make UVs for it first, then press it on."
        )
    texture, skew = _placement(spot, stand, held.id, width_m, held.height / held.width, turn_deg, uv_set)
    target = f"{material}/base_color"
    given = scene.materials[material].inputs.get("base_color", Input((1.0, 1.0, 1.0)))
    own = [layer_value(layer) for layer in given.layers]
    layer = {
        "texture": texture,
        "mask": {**texture, "channels": "a", "encoding": "linear"} if held.channels in (2, 4) else None,
        "bounded": True,
    }
    index = len(own) if instead_of is None or not 0 <= instead_of < len(own) else instead_of
    own[index : index + 1] = [layer]
    told = _told(scene, material, texture, width_m**2 * held.height / held.width, skew)
    return Pressed([Decision(target, "layers", own)], target, index, told)


def _hit(route: Route, scene: Scene, eye: Doubles, point: Doubles) -> _Spot:
    met = pointed_at(world_of(route), eye[:3, 3], point)
    if met is None:
        raise Refused("Nothing is there.", "the view", "Press a place on the model.")
    part, face = scene.nodes[met.part], met.face
    for primitive in scene.meshes[part.mesh or ""].primitives:
        if face < len(primitive.indices):
            edges = np.stack([met.corners[1] - met.corners[0], met.corners[2] - met.corners[0]], axis=1)
            b, c = np.linalg.lstsq(edges, met.place - met.corners[0], rcond=None)[0]
            weights = np.array([1 - b - c, b, c])
            return _Spot(primitive, primitive.indices[face], met.corners, weights, met.normal, part.name)
        face -= len(primitive.indices)
    raise AssertionError("a face beyond its part")


def _placement(
    spot: _Spot, eye: Doubles, image: str, width_m: float, tall: float, turn_deg: float, uv_set: int
) -> tuple[dict[str, Any], float]:
    """How the picture lies by the UVs at a place (KHR_texture_transform: translation x rotation x scale), and
    by how much the UVs are skewed there, in radians.

    Around the place UV runs linearly over the surface. A square about the picture is A (uv - uv there) + 1/2;
    A is rotation x scale where U and V are square to each other on the surface, and what is nearest to that
    where they are not. The picture is as high in that square as its stretch says.
    """
    uv = spot.primitive.uvs[uv_set][spot.triangle].astype(np.float64)
    runs = np.stack([uv[1] - uv[0], uv[2] - uv[0]], axis=1)
    edges = np.stack([spot.corners[1] - spot.corners[0], spot.corners[2] - spot.corners[0]], axis=1)
    if abs(np.linalg.det(runs)) < 1e-14:
        raise Refused("Its UVs have no area there.", spot.name, "Make UVs for it first, then press it on.")
    across = edges @ np.linalg.inv(runs)
    normal = spot.normal
    up = eye[:3, 1] - normal * (eye[:3, 1] @ normal)
    up /= max(float(np.linalg.norm(up)), 1e-9)
    right = np.cross(up, normal)
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    right, up = right * c + up * s, up * c - right * s
    wanted = np.stack([right @ across, -(up @ across)]) / width_m
    size = np.linalg.norm(wanted, axis=0)
    first, second = wanted[:, 0] / size[0], wanted[:, 1] / size[1]
    side = 1.0 if np.linalg.det(wanted) >= 0 else -1.0
    # The first column is (cos, -sin), the second (sin, cos), turned over where UV is a mirror image.
    cosine, sine = np.array([first[0], -first[1]]) + side * np.array([second[1], second[0]])
    angle = math.atan2(sine, cosine)
    skew = abs(math.asin(max(-1.0, min(1.0, float(first @ second)))))
    c, s = math.cos(angle), math.sin(angle)
    scale = [float(wanted[:, 0] @ (c, -s)), float(wanted[:, 1] @ (s, c))]
    texture = Texture(image, rotation_rad=angle, scale=(scale[0], scale[1]))
    offset = 0.5 - placed(spot.weights @ uv, texture)
    told = {
        "image": image,
        "uv_set": uv_set,
        "offset": [float(v) for v in offset],
        "rotation_rad": angle,
        "scale": scale,
        "wrap": ["clamp", "clamp"],
        "stretch": 1 / tall,
        "encoding": "srgb",
    }
    return told, skew


def _told(scene: Scene, material: str, texture: Mapping[str, Any], area_m2: float, skew: float) -> str:
    """What is to be known: that it shows elsewhere too, or is skewed."""
    covered = _covered(scene, material, texture)
    words = []
    if covered > _AGAIN * area_m2:
        words.append(
            f"it shows {covered / area_m2:.1f} times its size: other faces share these UVs; give them a UV set of"
            " their own to have it once"
        )
    if skew > _SKEWED:
        words.append(f"the UVs are skewed by {math.degrees(skew):.0f}° there, and so is it")
    told = "; ".join(words)
    return told[:1].upper() + told[1:]


def _covered(scene: Scene, material: str, texture: Mapping[str, Any]) -> float:
    """Square metres of the model that a picture lies on, by points spread over what wears the material."""
    rng, world, found = np.random.default_rng(3), scene.world_matrices(), 0.0
    lie = Texture(
        texture["image"],
        offset=tuple(texture["offset"]),
        rotation_rad=texture["rotation_rad"],
        scale=tuple(texture["scale"]),
        stretch=texture["stretch"],
    )
    for part in scene.parts():
        for primitive in scene.meshes[part.mesh or ""].primitives:
            if primitive.material != material or texture["uv_set"] >= len(primitive.uvs):
                continue
            points = transform_points(world[part.id], primitive.positions)
            spread = spread_points(points, primitive.indices, _SAMPLES, rng)
            if spread is None:
                continue
            faces, weights = spread
            at = placed(blended(primitive.uvs[texture["uv_set"]], primitive.indices[faces], weights), lie)
            a, b, c = (points[primitive.indices[:, k]] for k in range(3))
            area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) / 2
            found += area * float(((at >= 0) & (at <= 1)).all(axis=1).mean())
    return found
