"""Area lights as what they are to a renderer: glowing surfaces."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.scene.lit import Light
from trasloco.scene.model import Input, Material, Mesh, Node, Primitive, Scene

AREAS = frozenset({"rectangle", "disc"})
_BALL = (24, 12)


def has_area(light: Light) -> bool:
    """Whether a light is a glowing surface: a rectangle, a disc, or a ball."""
    return light.kind in AREAS or (light.kind == "point" and light.radius_m > 0)


AREA_PART = "area light:"
_SIDES = 96


def with_glowing_areas(scene: Scene) -> Scene:
    """The scene with a one-sided glowing surface for every area light.

    Its intensity is luminance, nit, towards the node's -Z; a ball's is candela, luminance times the area of
    its outline.
    """
    nodes, meshes, materials = dict(scene.nodes), dict(scene.meshes), dict(scene.materials)
    world = scene.world_matrices()
    for node in scene.nodes.values():
        light = scene.lights.get(node.light or "")
        if light is None or not has_area(light) or not light.enabled or light.intensity <= 0 or light.opening:
            continue
        id = AREA_PART + node.id
        glow = {
            "base_color": Input((0.0, 0.0, 0.0)),
            "specular": Input((0.0,)),
            "emission": Input(light.color),
            "emission_strength": Input(
                (
                    light.intensity / (math.pi * light.radius_m**2)
                    if light.kind == "point"
                    else light.intensity,
                )
            ),
        }
        materials[id] = Material(id, light.name, glow)
        meshes[id] = Mesh(id, light.name, (replace(_surface(light), material=id),))
        nodes[id] = Node(id, light.name, None, world[node.id], mesh=id)
    return (
        scene
        if len(nodes) == len(scene.nodes)
        else replace(scene, nodes=nodes, meshes=meshes, materials=materials)
    )


def _surface(light: Light) -> Primitive:
    """A rectangle, or a disc as a fan whose area is the circle's, facing -Z; a ball all round."""
    if light.kind == "point":
        return _ball(light.radius_m)
    if light.kind == "rectangle":
        x, y = light.width_m / 2, light.height_m / 2
        rim: npt.NDArray[np.float64] = np.array([[-x, -y, 0], [-x, y, 0], [x, y, 0], [x, -y, 0]])
    else:
        # A polygon of n sides with circumradius R has the area n/2 R^2 sin(2 pi / n).
        grown = math.sqrt(math.pi / (_SIDES / 2 * math.sin(2 * math.pi / _SIDES)))
        angle = -np.arange(_SIDES) / _SIDES * 2 * np.pi
        rim = np.stack(
            [
                np.cos(angle) * light.width_m / 2 * grown,
                np.sin(angle) * light.width_m / 2 * grown,
                np.zeros(_SIDES),
            ],
            axis=1,
        )
    fan = np.array([[0, k, k + 1] for k in range(1, len(rim) - 1)], np.uint32)
    return Primitive(rim.astype(np.float32), fan, np.tile(np.array([[0, 0, -1]], np.float32), (len(rim), 1)))


def _ball(radius: float) -> Primitive:
    """A ball of facets with the surface of the sphere: its outline then has the sphere's area in the mean
    over all directions (Cauchy).
    """
    around, along = _BALL
    theta, phi = np.meshgrid(
        np.linspace(0, np.pi, along + 1), np.arange(around) / around * 2 * np.pi, indexing="ij"
    )
    unit = np.stack(
        [np.sin(theta) * np.cos(phi), np.cos(theta), np.sin(theta) * np.sin(phi)], axis=-1
    ).reshape(-1, 3)
    rows, columns = (
        grid.reshape(-1) for grid in np.meshgrid(np.arange(along), np.arange(around), indexing="ij")
    )
    a, b = rows * around + columns, rows * around + (columns + 1) % around
    c, d = a + around, b + around
    # At the poles one of the two triangles has no area.
    faces = np.concatenate(
        [np.stack([a, b, d], axis=1)[rows > 0], np.stack([a, d, c], axis=1)[rows < along - 1]]
    )
    corners = unit[faces]
    area = float(
        np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
        / 2
    )
    grown = radius * math.sqrt(4 * math.pi / area)
    return Primitive((unit * grown).astype(np.float32), faces.astype(np.uint32), unit.astype(np.float32))
