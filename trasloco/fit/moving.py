"""What motion becomes where only straight lines are known between keys."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Channel, Clip, Doubles, Scene
from trasloco.scene.motion import posed_matrices, value_at, world_of
from trasloco.scene.straight import sampled, straight_times

_BETWEEN = 3
"""Places looked at within each straight piece."""


def straightened_by(scene: Scene, clip: Clip, aspect: str) -> float:
    """The most that any part's place or axes, or any weight, differ once its curves are straight pieces; 0
    where none is a curve or a step.

    Metres for places, lengths of axes for turns and scales, shares for weights: what a part's channels differ
    by, summed. An entry of a rotation matrix changes by at most
    4 sqrt 2 times the largest change of a component of its quaternion, times how much the part is scaled.
    Lamps and cameras are held by where they are in the world. Steps take a ten-thousandth of a second and
    count as 1e-6.
    """
    by_node: dict[str, float] = {}
    for channel in clip.channels:
        if (
            (channel.path == "weights") != (aspect == "shapes")
            or channel.interpolation == "LINEAR"
            or len(channel.times_s) < 2
        ):
            continue
        gap = _curve(channel) if channel.interpolation == "CUBICSPLINE" else 0.0
        if channel.path == "rotation":
            gap *= 6 * _largest_scale(scene, clip, channel.node)
        by_node[channel.node] = max(by_node.get(channel.node, 0.0) + gap, 1e-6)
    carried = _carried(scene, set(by_node)) if aspect != "shapes" else set()
    if carried:
        by_node |= {
            id: max(by_node.get(id, 0.0), gap) for id, gap in _in_the_world(scene, clip, carried).items()
        }
    return max(by_node.values(), default=0.0)


def _carried(scene: Scene, moved: set[str]) -> set[str]:
    """Lamps and cameras that move, or whose groups do."""
    under = set(moved)
    for node in scene.nodes.values():  # parents stand before their children
        if node.parent in under:
            under.add(node.id)
    return {
        id
        for id in under
        if scene.nodes[id].mesh is None and (scene.nodes[id].light or scene.nodes[id].camera)
    }


def _in_the_world(scene: Scene, clip: Clip, carried: set[str]) -> dict[str, float]:
    """How far lamps and cameras are off where they stand in the world and in the directions of their axes,
    with a tenth for what lies between the moments looked at.

    No size of their own travels, so what carries them counts.
    """
    curves = [c for c in clip.channels if c.path != "weights"]
    straight = replace(clip, channels=tuple(_straight(c) for c in curves))
    moments = np.unique(
        np.concatenate(
            [_between(straight_times(c)) for c in curves if c.interpolation == "CUBICSPLINE"] or [np.zeros(0)]
        )
    )
    gaps = dict.fromkeys(carried, 0.0)
    for t in moments.tolist():
        meant, got = (world_of(scene, posed_matrices(scene, one, t)[0]) for one in (clip, straight))
        for id in carried:
            gaps[id] = max(gaps[id], 1.1 * float(np.abs(_rigid(meant[id]) - _rigid(got[id])).max()))
    return gaps


def _rigid(matrix: Doubles) -> Doubles:
    """Where it is and which way it looks, (3, 4): a world matrix without sizes."""
    size = np.array([*np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-30), 1.0])
    return np.asarray(matrix[:3] / size)


def _largest_scale(scene: Scene, clip: Clip, node: str) -> float:
    """How much a part is scaled at most, at rest and at any key."""
    held = [
        np.abs(value_at(c, float(t))).max()
        for c in clip.channels
        if c.node == node and c.path == "scale"
        for t in c.times_s
    ]
    return max(
        [float(np.linalg.norm(scene.nodes[node].matrix[:3, :3], axis=0).max()), 1.0, *map(float, held)]
    )


def _straight(channel: Channel) -> Channel:
    times = straight_times(channel)
    return Channel(
        channel.node, channel.path, times.astype(np.float32), sampled(channel, times).astype(np.float32)
    )


def _between(times: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Moments within each straight piece."""
    share = (np.arange(_BETWEEN) + 1) / (_BETWEEN + 1)
    return np.asarray((times[:-1, None] + np.diff(times)[:, None] * share).reshape(-1))


def _curve(channel: Channel) -> float:
    straight = _straight(channel)
    gap = 0.0
    for t in _between(straight_times(channel)).tolist():
        meant, got = value_at(channel, t), value_at(straight, t)
        apart = float(np.abs(meant - got).max())
        if channel.path == "rotation":
            apart = min(apart, float(np.abs(meant + got).max()))
        gap = max(gap, apart)
    return gap
