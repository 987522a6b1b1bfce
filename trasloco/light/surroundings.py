"""What an environment picture lights: illuminance, and the sun in it, found and taken out into a light of its
own.

Directions follow :mod:`trasloco.render.lighting`: the middle column of the picture looks along -Z, the top
row up; a turn is about +Y.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import LUMINANCE, srgb_to_linear
from trasloco.scene.images import Image, encode, identify, pixels, unit_floats
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Doubles, Node, Scene
from trasloco.scene.resolve import color_of
from trasloco.scene.transforms import looking

Floats = npt.NDArray[np.float32]
NEAR_RAD = math.radians(6.0)
RING_RAD = (math.radians(7.0), math.radians(14.0))
"""What counts as the sun lies within the first of its brightest point; what stands behind it is judged by the
ring between the others.
"""
LEAST_CONTRAST = 20.0
LEAST_SHARE = 0.04


def radiance_of(image: Image, level: float) -> Floats:
    """Radiance (H, W, 3) in nit."""
    values = unit_floats(color_of(pixels(image)))
    return np.asarray(
        np.maximum(values if image.floating else srgb_to_linear(values), 0) * np.float32(level), np.float32
    )


def directions(height: int, width: int, turn_rad: float = 0.0) -> Doubles:
    """World directions (H, W, 3) of the texels' middles."""
    theta = (np.arange(height) + 0.5) / height * np.pi
    phi = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    p, t = np.meshgrid(phi, theta)
    x, y, z = np.sin(t) * np.sin(p), np.cos(t), -np.sin(t) * np.cos(p)
    cosine, sine = math.cos(turn_rad), math.sin(turn_rad)
    return np.stack([cosine * x + sine * z, y, -sine * x + cosine * z], axis=-1)


def solid_angles(height: int, width: int) -> Doubles:
    """Steradians of the texels of each row, (H, 1): exact between its two latitudes, so that they sum to 4
    pi.
    """
    edges = np.cos(np.arange(height + 1) / height * np.pi)
    return np.asarray((edges[:-1] - edges[1:]) * 2 * np.pi / width)[:, None]


def illuminance(radiance: Floats, normal: npt.NDArray[Any], turn_rad: float = 0.0) -> Doubles:
    """Illuminance (3,) rgb in lux on a plane that looks along a unit normal: the integral of L cos over the
    half space.
    """
    height, width = radiance.shape[:2]
    facing = np.maximum(
        directions(height, width, turn_rad) @ np.asarray(normal, np.float64), 0
    ) * solid_angles(height, width)
    return np.asarray((radiance * facing[..., None]).sum(axis=(0, 1), dtype=np.float64))


@dataclass(frozen=True)
class Sun:
    """The sun of a picture.

    Attributes:
        direction: (3,) towards it, in the world. height_rad: above the horizon. u, v: its place in the
            picture, from 0 to 1.
        lux: (3,) illuminance facing it, rgb, above what stands behind it. angle_rad: the whole angle it is
            seen at. share: of all the light of the sphere.
    """

    direction: Doubles
    height_rad: float
    u: float
    v: float
    lux: Doubles
    angle_rad: float
    share: float


def find_sun(radiance: Floats, turn_rad: float = 0.0) -> Sun | None:
    """The sun: the brightest spot, when it stands out from what is around it and gives a real share of the
    light; None under an even sky.
    """
    found = _spot(radiance)
    if found is None:
        return None
    inside, behind = found
    height, width = radiance.shape[:2]
    weight = np.where(inside, solid_angles(height, width), 0.0)
    excess = np.maximum(radiance - behind, 0) * weight[..., None]
    lux = excess.sum(axis=(0, 1), dtype=np.float64)
    light = excess @ np.array(LUMINANCE)
    everywhere = float(((radiance @ np.array(LUMINANCE)) * solid_angles(height, width)).sum())
    share = float(light.sum()) / max(everywhere, 1e-12)
    if share < LEAST_SHARE:
        return None
    plain = (directions(height, width) * light[..., None]).sum(axis=(0, 1))
    plain /= np.linalg.norm(plain)
    cosine, sine = math.cos(turn_rad), math.sin(turn_rad)
    direction = np.array(
        [cosine * plain[0] + sine * plain[2], plain[1], -sine * plain[0] + cosine * plain[2]]
    )
    # As wide as an even disc of the same light and peak would be.
    peak = float(np.percentile((radiance @ np.array(LUMINANCE))[inside], 90))
    omega = float(light.sum()) / max(peak, 1e-12)
    angle = 2 * math.acos(max(1 - omega / (2 * math.pi), -1.0))
    return Sun(
        direction,
        math.asin(np.clip(direction[1], -1, 1)),
        math.atan2(plain[0], -plain[2]) / (2 * math.pi) + 0.5,
        math.acos(np.clip(plain[1], -1, 1)) / math.pi,
        lux,
        angle,
        share,
    )


def _spot(radiance: Floats) -> tuple[npt.NDArray[np.bool_], Doubles] | None:
    """Texels (H, W) of the brightest spot, and the colour (3,) of what stands behind it."""
    luminance = radiance @ np.array(LUMINANCE, np.float32)
    height, width = luminance.shape
    if height < 4 or float(luminance.max()) <= 0:
        return None
    looks = directions(height, width)
    row, column = np.unravel_index(int(np.argmax(luminance)), luminance.shape)
    reach = max(NEAR_RAD, 2.5 * math.pi / height)
    middle = looks[row, column]
    for _ in range(3):
        # From the brightest texel to the middle of all that is about as bright near it.
        bright = (looks @ middle > math.cos(2 * reach)) & (luminance > 0.3 * luminance[row, column])
        middle = (looks[bright] * solid_angles(height, width).repeat(width, axis=1)[bright][:, None]).sum(
            axis=0
        )
        middle /= np.linalg.norm(middle)
    away = np.arccos(np.clip(looks @ middle, -1, 1))
    ring = (away > max(RING_RAD[0], reach)) & (away < max(RING_RAD[1], 3 * reach))
    if not ring.any():
        return None
    behind = np.median(radiance[ring], axis=0).astype(np.float64)
    level = float(behind @ np.array(LUMINANCE))
    if float(luminance.max()) < LEAST_CONTRAST * max(level, float(np.median(luminance)) * 0.5, 1e-9):
        return None
    return (away <= reach) & (luminance > 2.0 * level), behind


def without_sun(radiance: Floats, turn_rad: float = 0.0) -> tuple[Floats, Sun] | None:
    """The picture with what stands behind the sun in its place, and the sun; together they give the light of
    the whole. None where there is no sun.
    """
    sun = find_sun(radiance, turn_rad)
    found = _spot(radiance)
    if sun is None or found is None:
        return None
    inside, behind = found
    made = radiance.copy()
    made[inside] = np.minimum(radiance[inside], behind)
    return made.astype(np.float32), sun


SUN_PART = "part:sun of the environment"
DAYLIGHT_SUN = "part:daylight sun"
_PICTURE = "image:environment without its sun"


def sun_taken_out(scene: Scene) -> Scene:
    """The scene with the sun of its environment as a light of its own; as it is where none is found."""
    given = scene.environment
    image = scene.images.get(given.image) if given is not None else None
    if given is None or image is None or not image.usable:
        return scene
    apart = without_sun(radiance_of(image, 1.0), given.turn_rad)
    if apart is None:
        return scene
    picture, sun = apart
    data = encode(np.ascontiguousarray(picture), "exr")
    name = f"{image.name.rsplit('.', 1)[0]}-without-sun.exr"
    lux = float(sun.lux @ np.array(LUMINANCE)) * given.level
    r, g, b = (float(v) * given.level / max(lux, 1e-12) for v in sun.lux)
    light = Light("light:sun of the environment", "Sun", "sun", (r, g, b), lux, angle_rad=sun.angle_rad)
    matrix = looking(
        list(sun.direction * 10), (0, 0, 0), (0, 1, 0) if abs(sun.direction[1]) < 0.99 else (0, 0, 1)
    )
    return replace(
        scene,
        images={**scene.images, _PICTURE: identify(_PICTURE, name, name, data)},
        environment=Environment(_PICTURE, given.level, given.turn_rad),
        lights={**scene.lights, light.id: light},
        nodes={**scene.nodes, SUN_PART: Node(SUN_PART, "Sun", None, matrix, light=light.id)},
    )


@dataclass(frozen=True)
class Surroundings:
    """What lights a scene from all round.

    Attributes:
        ground_lux: illuminance of open ground, by the picture and by the sun that stands apart from it.
            subject_lux: of an upright surface that faces the first camera, None without one.
        sun: the sun of the picture as it was received. taken: whether it is a light of its own now. apart:
            whether a daylight sky has its sun apart.
    """

    ground_lux: float
    subject_lux: float | None
    sun: Sun | None
    taken: bool
    apart: bool = False


def surroundings_of(scene: Scene, received: Scene) -> Surroundings | None:
    """The surroundings of a reference; None without an environment that can be read.

    The level and turn of the reference count.
    """
    given = scene.environment
    image = scene.images.get(given.image) if given is not None else None
    if given is None or image is None or not image.usable:
        return None
    taken = SUN_PART in scene.nodes
    before = (
        received.images.get(received.environment.image)
        if taken and received.environment is not None
        else image
    )
    sun = (
        find_sun(radiance_of(before, given.level), given.turn_rad)
        if before is not None and before.usable and DAYLIGHT_SUN not in scene.nodes
        else None
    )
    radiance = radiance_of(image, given.level)

    def lux(normal: npt.NDArray[Any]) -> float:
        found = float(illuminance(radiance, normal, given.turn_rad) @ np.array(LUMINANCE))
        for id in (SUN_PART, DAYLIGHT_SUN):
            node = scene.nodes.get(id)
            light = scene.lights.get(node.light or "") if node is not None else None
            if node is not None and light is not None and light.enabled:
                found += light.intensity * max(
                    float(node.matrix[:3, 2] @ normal / np.linalg.norm(node.matrix[:3, 2])), 0.0
                )
        return found

    return Surroundings(
        lux(np.array([0.0, 1.0, 0.0])),
        lux(facing) if (facing := _to_camera(scene)) is not None else None,
        sun,
        taken,
        DAYLIGHT_SUN in scene.nodes,
    )


def _to_camera(scene: Scene) -> npt.NDArray[Any] | None:
    """Level direction (3,) from what the first camera looks at to the camera."""
    world = scene.world_matrices()
    for node in scene.nodes.values():
        if node.camera in scene.cameras and node.camera is not None:
            back = world[node.id][:3, 2] * np.array([1.0, 0.0, 1.0])
            length = float(np.linalg.norm(back))
            return np.asarray(back / length) if length > 1e-6 else None
    return None
