"""Clips at a moment (glTF 2.0, section 3.11 and appendix C) and skinned points (section 3.7.3)."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Channel, Clip, Doubles, Primitive, Scene, Skin
from trasloco.scene.transforms import compose, decompose


def value_at(channel: Channel, time_s: float) -> Doubles:
    """The channel's value (C,): STEP, LINEAR (rotations along the great arc) or CUBICSPLINE, held before the
    first and after the last key. A time that is no number is before all keys.
    """
    times = channel.times_s.astype(np.float64)
    values = channel.values.astype(np.float64)
    if not len(times):
        return np.zeros(values.shape[-1])
    spline = channel.interpolation == "CUBICSPLINE"
    if not time_s > times[0] or len(times) == 1:
        return np.asarray(values[0, 1] if spline else values[0])
    if time_s >= times[-1]:
        return np.asarray(values[-1, 1] if spline else values[-1])
    k = int(np.searchsorted(times, time_s, side="right")) - 1
    span = times[k + 1] - times[k]
    t = (time_s - times[k]) / span
    if channel.interpolation == "STEP":
        return np.asarray(values[k])
    if spline:
        start, leave, enter, end = (
            values[k, 1],
            values[k, 2] * span,
            values[k + 1, 0] * span,
            values[k + 1, 1],
        )
        made = (
            (2 * t**3 - 3 * t**2 + 1) * start
            + (t**3 - 2 * t**2 + t) * leave
            + (-2 * t**3 + 3 * t**2) * end
            + (t**3 - t**2) * enter
        )
        return np.asarray(
            made / max(float(np.linalg.norm(made)), 1e-30) if channel.path == "rotation" else made
        )
    a, b = values[k], values[k + 1]
    if channel.path != "rotation":
        return np.asarray(a + (b - a) * t)
    cosine = float(a @ b)
    if cosine < 0:
        b, cosine = -b, -cosine
    if cosine > 0.9995:
        made = a + (b - a) * t
    else:
        angle = np.arccos(np.clip(cosine, -1, 1))
        made = (np.sin((1 - t) * angle) * a + np.sin(t * angle) * b) / np.sin(angle)
    return np.asarray(made / max(float(np.linalg.norm(made)), 1e-30))


def ends_of(clip: Clip) -> tuple[float, float] | None:
    """Seconds of a clip's first and last key; None where it has none."""
    times = [float(t) for c in clip.channels if len(c.times_s) for t in (c.times_s[0], c.times_s[-1])]
    return (min(times), max(times)) if times else None


def posed_matrices(scene: Scene, clip: Clip, time_s: float) -> tuple[dict[str, Doubles], dict[str, Doubles]]:
    """Local matrices of the nodes a clip moves, and morph weights by node, at a moment."""
    parts: dict[str, dict[str, Doubles]] = {}
    weights: dict[str, Doubles] = {}
    for channel in clip.channels:
        if channel.node not in scene.nodes:
            continue
        if channel.path == "weights":
            weights[channel.node] = value_at(channel, time_s)
        else:
            parts.setdefault(channel.node, {})[channel.path] = value_at(channel, time_s)
    made: dict[str, Doubles] = {}
    for id, given in parts.items():
        translation, rotation, scale = decompose(scene.nodes[id].matrix)
        made[id] = compose(
            tuple(given.get("translation", translation)),
            tuple(given.get("rotation", rotation)),
            tuple(given.get("scale", scale)),
        )
    return made, weights


def world_of(scene: Scene, local: Mapping[str, Doubles]) -> dict[str, Doubles]:
    """World matrices of all nodes where some have other local ones than at rest."""
    world: dict[str, Doubles] = {}
    for node in scene.nodes.values():
        own = local.get(node.id, node.matrix)
        world[node.id] = world[node.parent] @ own if node.parent is not None else own
    return world


def skinned_points(primitive: Primitive, skin: Skin, world: dict[str, Doubles]) -> Doubles:
    """World positions (N, 3) of a skinned primitive: the weighted sum of joint world x inverse bind."""
    if primitive.joints is None or primitive.weights is None:
        return np.asarray(primitive.positions, np.float64)
    matrices = np.array([world[j] @ b for j, b in zip(skin.joints, skin.inverse_bind, strict=True)])
    total = np.zeros((len(primitive.positions), 3))
    for k in range(primitive.joints.shape[1]):
        for joint in np.unique(primitive.joints[:, k]):
            at = primitive.joints[:, k] == joint
            total[at] += primitive.weights[at, k : k + 1] * transform_points(
                matrices[joint], primitive.positions[at]
            )
    return total
