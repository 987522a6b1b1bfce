"""Area lights as what they are to a renderer: glowing surfaces."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Input, Light, Material, Mesh, Node, Primitive, Scene

AREAS = frozenset({"rectangle", "disc"})
AREA_PART = "area light:"
_SIDES = 96


def with_glowing_areas(scene: Scene) -> Scene:
    """The scene with a one-sided glowing surface for every area light. Its intensity is luminance, nit, towards the node's -Z."""
    nodes, meshes, materials = dict(scene.nodes), dict(scene.meshes), dict(scene.materials)
    world = scene.world_matrices()
    for node in scene.nodes.values():
        light = scene.lights.get(node.light or "")
        if light is None or light.kind not in AREAS or not light.enabled or light.intensity <= 0 or light.opening:
            continue
        id = AREA_PART + node.id
        glow = {"base_color": Input((0.0, 0.0, 0.0)), "specular": Input((0.0,)), "emission": Input(light.color), "emission_strength": Input((light.intensity,))}
        materials[id] = Material(id, light.name, glow)
        meshes[id] = Mesh(id, light.name, (replace(_surface(light), material=id),))
        nodes[id] = Node(id, light.name, None, world[node.id], mesh=id)
    return scene if len(nodes) == len(scene.nodes) else replace(scene, nodes=nodes, meshes=meshes, materials=materials)


def _surface(light: Light) -> Primitive:
    """A rectangle, or a disc as a fan whose area is the circle's, facing -Z."""
    if light.kind == "rectangle":
        x, y = light.width_m / 2, light.height_m / 2
        rim: npt.NDArray[np.float64] = np.array([[-x, -y, 0], [-x, y, 0], [x, y, 0], [x, -y, 0]])
    else:
        # A polygon of n sides with circumradius R has the area n/2 R^2 sin(2 pi / n).
        grown = math.sqrt(math.pi / (_SIDES / 2 * math.sin(2 * math.pi / _SIDES)))
        angle = -np.arange(_SIDES) / _SIDES * 2 * np.pi
        rim = np.stack([np.cos(angle) * light.width_m / 2 * grown, np.sin(angle) * light.width_m / 2 * grown, np.zeros(_SIDES)], axis=1)
    fan = np.array([[0, k, k + 1] for k in range(1, len(rim) - 1)], np.uint32)
    return Primitive(rim.astype(np.float32), fan, np.tile(np.array([[0, 0, -1]], np.float32), (len(rim), 1)))
