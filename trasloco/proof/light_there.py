"""Whether anything lights a scene, a light that stands in where nothing does, and what a proof cannot show."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.inputs.table import INPUTS
from trasloco.scene.images import encode, identify
from trasloco.scene.lit import Environment
from trasloco.scene.model import Material, Scene

STAND_IN = "image:stand-in light"
_ROWS = 32
_NIT = 400.0


def is_lit(scene: Scene) -> bool:
    """Whether any light can reach the eye: lamps that are on, surroundings, what glows or is drawn without
    light, light written down.
    """
    lamps = {node.light for node in scene.nodes.values()}
    if any(
        id in lamps and one.enabled and one.intensity > 0 and max(one.color) > 0 and not one.opening
        for id, one in scene.lights.items()
    ):
        return True
    if scene.environment is not None and scene.environment.level > 0:
        return True
    if any(node.lightmap is not None or node.probed for node in scene.nodes.values()):
        return True
    worn = {p.material for node in scene.parts() for p in scene.meshes[node.mesh or ""].primitives}
    return any(_shines(material) for id, material in scene.materials.items() if id in worn)


def in_some_light(scene: Scene, lit_by: Scene | None = None) -> Scene:
    """A scene as it is looked at: in the light that stands in where nothing lights it, or ``lit_by`` that it
    is held against.
    """
    return scene if is_lit(lit_by or scene) else in_stand_in_light(scene)


def _shines(material: Material) -> bool:
    glow = material.inputs.get("emission")
    return material.unlit or (glow is not None and (max(glow.factor) > 0 or bool(glow.layers)))


def in_stand_in_light(scene: Scene) -> Scene:
    """The scene under a soft sky of our own: bright above, dim below, no sun.

    It is said wherever it is used.
    """
    height = np.cos((np.arange(_ROWS) + 0.5) / _ROWS * np.pi)
    level = np.interp(height, [-1, -0.05, 0.05, 1], [0.12, 0.2, 0.7, 1.0])
    texels = np.broadcast_to(level[:, None, None], (_ROWS, 2 * _ROWS, 3)).astype(np.float32)
    sky = identify(
        STAND_IN, "stand-in light.exr", "stand-in light.exr", encode(np.ascontiguousarray(texels), "exr")
    )
    return replace(scene, images={**scene.images, sky.id: sky}, environment=Environment(sky.id, _NIT))


def not_shown(*scenes: Scene) -> list[str]:
    """What the renderer does not show, in words: inputs it passes over, images of which only the number
    beside them counts, points and lines.
    """
    found: dict[str, set[str]] = {}
    for scene in scenes:
        for material in scene.materials.values():
            for name, given in material.inputs.items():
                told = _unseen(name, material)
                if told and (
                    given.texture is not None or given.layers or tuple(given.factor) != INPUTS[name].default
                ):
                    found.setdefault(told, set()).add(material.name)
        for node in scene.nodes.values():
            if node.cloud in scene.clouds:
                found.setdefault("Points and lines", set()).add(node.name)
    return [f"{told}: {', '.join(sorted(names))}" for told, names in sorted(found.items())]


def _unseen(name: str, material: Material) -> str:
    given, row = material.inputs[name], INPUTS[name]
    pictured = given.texture is not None or bool(given.layers)
    if name in ("height", "occlusion"):
        return ""  # relief is shown through normals, and what is occluded is traced
    if row.drawn in ("number", "through"):
        return f"{row.label} as an image" if pictured else ""
    if not row.drawn:
        return row.label
    sets = {texture.uv_set for one in material.inputs.values() for texture in one.textures}
    return "More than two UV sets" if len(sets - {0}) > 1 else ""
