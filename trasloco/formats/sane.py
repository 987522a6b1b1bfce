"""Numbers of a read scene that mean nothing: places beyond reach, lamps and lenses that cannot be. Each is
given the value that says least, and told.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.scene.extent import FARTHEST, within_reach
from trasloco.scene.findings import Finding
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Floats, Mesh, MorphTarget, Node, Scene, Skin

_MOST_INTENSITY = 1e12
"""Brighter than any lamp, in candela, lux or nit: the disc of the sun has 1.6e9 nit."""
_WIDEST, _NARROWEST = math.pi - 1e-3, 1e-4
_USUAL_FIELD_RAD = math.radians(40)


def with_sane_numbers(scene: Scene) -> tuple[Scene, list[Finding]]:
    """The scene with such numbers replaced, and what was replaced."""
    findings: list[Finding] = []
    nodes = _nodes(scene.nodes, findings)
    lights = _each(scene.lights, _sane_light)
    cameras = _each(scene.cameras, _sane_camera)
    skins = _each(scene.skins, _sane_skin)
    meshes = _each(scene.meshes, _sane_morphs)
    for kind, title, names, consequence in (
        ("odd_light", "Lamps of strengths or angles that cannot be", _changed(scene.lights, lights), _LAMP),
        ("odd_camera", "Cameras of angles that cannot be", _changed(scene.cameras, cameras), _LENS),
        ("odd_morph", "Morph targets that move points nowhere", _changed(scene.meshes, meshes), _MORPH),
        ("odd_skin", "Skeletons whose rest is no place", _changed(scene.skins, skins), _SKIN),
    ):
        if names:
            findings.append(_told(kind, title, names, consequence))
    if not findings:
        return scene, []
    return replace(scene, nodes=nodes, lights=lights, cameras=cameras, skins=skins, meshes=meshes), findings


_LAMP = "What is no number, or beyond any lamp, is taken as the format's own default."
_LENS = "They are shown with an angle of 40 degrees."
_SKIN = "Matrices that are no numbers are taken as unmoved."
_MORPH = "Displacements that are no numbers, or beyond reach, are taken as none."
_PLACE = "What is no number, or farther than can be told, is taken as unmoved."


def _nodes(nodes: Mapping[str, Node], findings: list[Finding]) -> Mapping[str, Node]:
    if not nodes:
        return nodes
    matrices = np.stack([node.matrix for node in nodes.values()])
    with np.errstate(invalid="ignore"):
        good = (np.abs(matrices) < FARTHEST).all(axis=(1, 2))
    if good.all():
        return nodes
    ids = list(nodes)
    bad = {ids[k] for k in np.flatnonzero(~good)}
    names = [nodes[id].name for id in bad]
    findings.append(_told("odd_place", "Places that are none", sorted(names), _PLACE))
    return {id: replace(node, matrix=np.eye(4)) if id in bad else node for id, node in nodes.items()}


def _sane_light(light: Light) -> Light:
    usual = Light(light.id, light.name, light.kind)
    made = {
        "color": light.color if all(0 <= c < 1e6 for c in light.color) else usual.color,
        "intensity": light.intensity if 0 <= light.intensity <= _MOST_INTENSITY else usual.intensity,
        "inner_cone_rad": _within(light.inner_cone_rad, 0, math.pi, usual.inner_cone_rad),
        "outer_cone_rad": _within(light.outer_cone_rad, 0, math.pi, usual.outer_cone_rad),
        "angle_rad": _within(light.angle_rad, 0, math.pi, 0.0),
        "width_m": _within(light.width_m, 0, FARTHEST, usual.width_m),
        "height_m": _within(light.height_m, 0, FARTHEST, usual.height_m),
        "radius_m": _within(light.radius_m, 0, FARTHEST, 0.0),
    }
    return replace(light, **made)  # type: ignore[arg-type]


def _sane_camera(camera: Camera) -> Camera:
    field = _within(camera.yfov_rad, _NARROWEST, _WIDEST, _USUAL_FIELD_RAD)
    aspect = camera.aspect
    if aspect is not None and not (isinstance(aspect, int | float) and 1e-3 < aspect < 1e3):
        aspect = None
    znear = _within(camera.znear, 0, FARTHEST, 0.01)
    zfar = camera.zfar if isinstance(camera.zfar, int | float) and znear < camera.zfar < FARTHEST else None
    return replace(camera, yfov_rad=field, aspect=aspect, znear=znear, zfar=zfar)


def _sane_skin(skin: Skin) -> Skin:
    with np.errstate(invalid="ignore"):
        good = np.asarray((np.abs(skin.inverse_bind) < FARTHEST).all(axis=(1, 2)))
    if good.all():
        return skin
    return replace(skin, inverse_bind=np.where(good[:, None, None], skin.inverse_bind, np.eye(4)))


def _sane_morphs(mesh: Mesh) -> Mesh:
    if all(_moves_well(one) for primitive in mesh.primitives for one in primitive.morphs):
        return mesh
    primitives = tuple(
        replace(
            primitive,
            morphs=tuple(MorphTarget(_still(one.positions), _still(one.normals)) for one in primitive.morphs),
        )
        for primitive in mesh.primitives
    )
    return replace(mesh, primitives=primitives)


def _moves_well(morph: MorphTarget) -> bool:
    return all(one is None or within_reach(one).all() for one in (morph.positions, morph.normals))


def _still(values: Floats | None) -> Floats | None:
    return None if values is None else np.where(within_reach(values)[:, None], values, 0).astype(np.float32)


def _within(value: Any, low: float, high: float, usual: float) -> float:
    return float(value) if isinstance(value, int | float) and low <= value <= high else usual


def _each(group: Mapping[str, Any], sane: Any) -> dict[str, Any]:
    return {id: sane(one) for id, one in group.items()}


def _changed(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """Names of what is another one now."""
    return [one.name for id, one in before.items() if not _same(one, after[id])]


def _same(one: Any, other: Any) -> bool:
    return one is other if isinstance(one, Skin | Mesh) else bool(one == other)


def _told(kind: str, title: str, names: Iterable[str], consequence: str) -> Finding:
    listed = list(names)
    more = f" and {len(listed) - 5} more" if len(listed) > 5 else ""
    return Finding(f"{kind}:scene", kind, title, f"{', '.join(listed[:5])}{more}", consequence, weight=45)
