"""Motion of parts that stand alone: where each is in the world at every key and every frame."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Channel, Clip, Doubles, Scene
from trasloco.scene.motion import posed_matrices, value_at, world_of
from trasloco.scene.straight import RATE, straight_times
from trasloco.scene.transforms import compose, decompose

_BETWEEN = (0.21, 0.5, 0.79)
_MOST_FRAMES = 20_000


def carried_along(scene: Scene, clip: Clip) -> set[str]:
    """Nodes that a clip moves, by themselves or by what they hang on."""
    under = {c.node for c in clip.channels if c.path != "weights"}
    for node in scene.nodes.values():  # parents stand before their children
        if node.parent in under:
            under.add(node.id)
    return under


def in_the_world(scene: Scene, clip: Clip, nodes: Collection[str]) -> list[Channel]:
    """Translation, rotation and scale in the world of every one of the ``nodes`` that a clip carries along,
    at each key and each frame between them.
    """
    moved = [id for id in scene.nodes if id in carried_along(scene, clip) and id in nodes]
    times = _frames(scene, clip)
    if not moved or not len(times):
        return []
    placed = [world_of(scene, posed_matrices(scene, clip, t)[0]) for t in times.tolist()]
    found = []
    for id in moved:
        parts = [decompose(world[id]) for world in placed]
        turns = np.array([p[1] for p in parts])
        for k in range(1, len(turns)):
            if turns[k] @ turns[k - 1] < 0:
                turns[k] = -turns[k]
        tracks = {
            "translation": np.array([p[0] for p in parts]),
            "rotation": turns,
            "scale": np.array([p[2] for p in parts]),
        }
        found += [
            Channel(id, path, times.astype(np.float32), values.astype(np.float32))  # type: ignore[arg-type]
            for path, values in tracks.items()
        ]
    return found


def off_by(scene: Scene, clip: Clip, nodes: Collection[str]) -> float:
    """The most that any of the ``nodes`` is off its place in the world between those frames, or at one where
    it is skewed, which turn and scale cannot say; metres, or lengths of axes, with a tenth for what lies
    between the moments looked at.
    """
    channels = in_the_world(scene, clip, nodes)
    tracks: dict[str, dict[str, Channel]] = {}
    for channel in channels:
        tracks.setdefault(channel.node, {})[channel.path] = channel
    times = _frames(scene, clip)
    steps = np.diff(times)
    between = np.concatenate([times, *(times[:-1] + steps * share for share in _BETWEEN)])
    worst = 0.0
    for t in np.sort(between).tolist():
        meant = world_of(scene, posed_matrices(scene, clip, t)[0])
        for id, track in tracks.items():
            got = compose(*(tuple(value_at(track[path], t)) for path in ("translation", "rotation", "scale")))  # type: ignore[arg-type]
            worst = max(worst, float(_gap(meant[id], got)))
    return 1.1 * worst + 1e-6


def _gap(meant: Doubles, got: Doubles) -> float:
    return float((np.abs(meant - got) / np.maximum(1.0, np.abs(meant))).max())


def _frames(scene: Scene, clip: Clip) -> npt.NDArray[np.float64]:
    """Moments between which straight lines say enough: keys and what stands for curves, and every frame."""
    held = [straight_times(c) for c in clip.channels if c.path != "weights" and len(c.times_s)]
    if not held:
        return np.zeros(0)
    keys = np.unique(np.concatenate(held))
    rate = float(scene.frame_rate or RATE)
    count = min(int((keys[-1] - keys[0]) * rate) + 1, _MOST_FRAMES)
    return np.unique(np.concatenate([keys, keys[0] + np.arange(count) / rate]))
